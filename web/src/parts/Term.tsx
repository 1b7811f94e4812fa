import { useId, useState, type ReactNode } from "react";
import glossary from "../api/glossary.json";

const EXPLAINED = new Map(glossary.map((term) => [term.name, term.explanation]));

interface Props {
  /** The word as the glossary has it. */
  name: string;
  /** Its explanation, where that comes with the data and not from the glossary. */
  explanation?: string;
  /** How the word stands in the text, where that is another form of it. */
  children?: ReactNode;
  className?: string;
}

const WIDTH = 260;

/** A word with its explanation: on hover, on focus and on a tap; Escape closes. */
export function Term({ name, explanation = EXPLAINED.get(name), children = name, className = "" }: Props) {
  const id = useId();
  const [place, setPlace] = useState<{ left: number; top: number } | null>(null);
  const open = (element: HTMLElement) => {
    const { left, bottom } = element.getBoundingClientRect();
    setPlace({ left: Math.max(8, Math.min(left, window.innerWidth - WIDTH - 8)), top: bottom + 4 });
  };
  const close = () => setPlace(null);
  return (
    <>
      <button
        type="button"
        className={`term ${className}`}
        aria-describedby={place ? id : undefined}
        onClick={(event) => open(event.currentTarget)}
        onFocus={(event) => open(event.currentTarget)}
        onBlur={close}
        onMouseEnter={(event) => open(event.currentTarget)}
        onMouseLeave={close}
        onKeyDown={(event) => event.key === "Escape" && close()}
      >
        {children}
      </button>
      {place && (
        <span
          role="tooltip"
          id={id}
          className="sheet fixed z-50 p-2 text-left font-sans text-sm font-normal whitespace-normal text-base-content shadow"
          style={{ ...place, width: WIDTH }}
        >
          {explanation}
        </span>
      )}
    </>
  );
}

/** A mark after a word that cannot be a button itself, such as a label; nothing where there is no term. */
export function TermMark({ name }: { name: string | undefined }) {
  if (name === undefined) return null;
  return (
    <>
      {"\u00a0"}
      <Term name={name} className="term-mark">
        ?<span className="sr-only"> {name}</span>
      </Term>
    </>
  );
}
