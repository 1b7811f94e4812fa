import { LETTERS } from "../api/vocabulary";
import { variantColour } from "../lib/variants";

export function Letter({ letter }: { letter: string }) {
  const position = LETTERS.indexOf(letter);
  const control = position <= 0;
  return (
    <span
      className="inline-flex size-5 shrink-0 items-center justify-center rounded-[3px] text-xs font-semibold"
      style={
        control
          ? { border: "1px solid var(--color-neutral)", color: "var(--color-base-content)" }
          : { background: variantColour(position), color: "var(--on-variant)" }
      }
    >
      {letter}
    </span>
  );
}
