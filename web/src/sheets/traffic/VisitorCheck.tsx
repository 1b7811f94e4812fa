import { useState } from "react";
import { useCheck } from "../../api/running";
import { FormError } from "../../parts/basics";
import { Letter } from "../../parts/Letter";
import { useEditing } from "../editing";

/** "device: phone, app: 4.10, resident: true" → properties; null for what cannot be read so. */
export function readProperties(text: string): Record<string, unknown> | null {
  const found: Record<string, unknown> = {};
  for (const part of text.split(/[,;\n]/).filter((piece) => piece.trim())) {
    const [, name, value] = /^\s*([^:=]+?)\s*[:=]\s*(.*?)\s*$/.exec(part) ?? [];
    if (!name || value === undefined) return null;
    found[name] = value === "true" ? true : value === "false" ? false : value;
  }
  return found;
}

const REASONS: Record<string, string> = {
  assigned: "Takes part",
  forced: "Looks at it on purpose",
  audience: "Does not qualify",
  exclusion: "Is kept for other experiments",
  participation: "Is not among those who take part",
  not_running: "The experiment does not run",
};

/** Would this visitor take part? Says which rule decided. */
export function VisitorCheck() {
  const { experiment } = useEditing();
  const check = useCheck(experiment.key);
  const [unit, setUnit] = useState("visitor-1");
  const [text, setText] = useState("device: phone");
  const properties = readProperties(text);
  const found = check.data;
  return (
    <form
      className="mt-3 border-t border-base-300 pt-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (properties) check.mutate({ unit, properties });
      }}
    >
      <div className="mb-1 font-semibold">Would this visitor take part?</div>
      <div className="flex flex-wrap items-center gap-2">
        <input
          className="input input-sm w-36"
          aria-label="Visitor"
          value={unit}
          onChange={(event) => setUnit(event.target.value)}
        />
        <input
          className={`input input-sm w-72 ${properties ? "" : "input-error"}`}
          aria-label="What is known of the visitor"
          aria-invalid={!properties}
          placeholder="device: phone, language: en"
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
        <button className="btn btn-sm" disabled={!properties || !unit.trim()}>
          Check
        </button>
      </div>
      {!properties && (
        <p className="text-sm text-error">must be properties with values, such as device: phone, language: en</p>
      )}
      <FormError error={check.error} />
      {found && (
        <p role="status" className="mt-2 flex flex-wrap items-center gap-2">
          <span className={`font-semibold ${found.takes_part ? "tone-ahead" : ""}`}>
            {found.takes_part ? "✓ " : ""}
            {REASONS[found.reason]}
          </span>
          <span className="flex items-center gap-1">
            and sees <Letter letter={found.variant} /> {found.name}
          </span>
          {found.because && <span className="quiet text-sm">{found.because}</span>}
        </p>
      )}
    </form>
  );
}
