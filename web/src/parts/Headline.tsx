import type { Tone } from "../api/vocabulary";
import { TONE_CLASS } from "../lib/words";

/** A sentence of the core whose figure carries the colour of the verdict. */
export function Headline({
  text,
  figure,
  tone,
  className,
}: {
  text: string;
  figure: string;
  tone: Tone;
  className: string;
}) {
  const at = figure ? text.indexOf(figure) : -1;
  return (
    <p className={`font-serif leading-tight text-balance ${className}`}>
      {at < 0 ? (
        text
      ) : (
        <>
          {text.slice(0, at)}
          <span className={TONE_CLASS[tone]}>{figure}</span>
          {text.slice(at + figure.length)}
        </>
      )}
    </p>
  );
}
