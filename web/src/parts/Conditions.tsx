import type { Reading } from "../api/client";

/** What of a reading the lines are made of; by region there is one like it. */
type Judged = Pick<Reading, "conditions"> & { verdict: string };
const FINAL = ["unresolved", "regions_unresolved"];

const MARKS = {
  met: { glyph: "✓", said: "met", className: "tone-ahead" },
  not_met: { glyph: "✕", said: "not met", className: "text-error" },
  not_yet: { glyph: "○", said: "not yet met", className: "quiet" },
  unknown: { glyph: "○", said: "not known yet", className: "quiet" },
};

/** The lines of the decision rule, each with the figure seen; the one required is in the title and, when wide, beside it. */
export function Conditions({ reading, wide = false }: { reading: Judged; wide?: boolean }) {
  return (
    <ul className="text-sm">
      {reading.conditions.map((line) => {
        const waiting = line.subject === "minimum" && line.state === "not_met" && !FINAL.includes(reading.verdict);
        const mark = MARKS[waiting ? "not_yet" : line.state];
        return (
          <li
            key={line.key}
            className="flex gap-2 border-b border-base-300 py-1.5"
            title={`Required: ${line.required}`}
          >
            <span className={`${mark.className} w-3 font-semibold`} role="img" aria-label={mark.said}>
              {mark.glyph}
            </span>
            <span className="grow">{line.label}</span>
            <span className="text-right whitespace-nowrap">{line.seen}</span>
            {wide && <span className="quiet w-52 text-right">required: {line.required}</span>}
          </li>
        );
      })}
    </ul>
  );
}
