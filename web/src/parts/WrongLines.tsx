import { count, plural } from "../lib/format";

interface Props {
  /** How many there are, of which the first are listed. */
  wrong: number;
  lines: readonly { where: string; reason: string }[];
  /** What follows from them. */
  consequence: string;
}

/** Lines of a file that are not accepted: where, and why. */
export function WrongLines({ wrong, lines, consequence }: Props) {
  if (wrong === 0) return null;
  return (
    <div role="alert" className="my-1 text-sm">
      <p className="text-error">
        {plural(wrong, "line")} {wrong === 1 ? "is" : "are"} wrong; {consequence}.
      </p>
      <ul className="max-h-32 overflow-auto border-l-2 border-error pl-2">
        {lines.map((line, index) => (
          <li key={index}>
            {line.where}: {line.reason}
          </li>
        ))}
        {wrong > lines.length && <li>and {count(wrong - lines.length)} more</li>}
      </ul>
    </div>
  );
}
