import { useState } from "react";
import { useCheck } from "../../api/running";
import { FormError } from "../../parts/basics";
import { Letter } from "../../parts/Letter";
import { useEditing } from "../editing";

/** "device: phone, app: 4.10, resident: true" → properties; null for what cannot be read so. */
export function readProperties(text: string): Record<string, unknown> | null {
  const properties: Record<string, unknown> = {};
  for (const part of text.split(/[,;\n]/).filter((piece) => piece.trim())) {
    const [, name, value] = /^\s*([^:=]+?)\s*[:=]\s*(.*?)\s*$/.exec(part) ?? [];
    if (!name || value === undefined) return null;
    properties[name] = value === "true" ? true : value === "false" ? false : value;
  }
  return properties;
}

const REASONS: Record<string, string> = {
  assigned: "Included",
  forced: "Forced variant",
  audience: "Does not qualify",
  exclusion: "In another experiment of the group",
  participation: "Outside the traffic included",
  kept: "Keeps what it had in the test",
  not_running: "The experiment is not running",
};

/** Check a visitor Says which rule decided. */
export function VisitorCheck() {
  const { experiment } = useEditing();
  const check = useCheck(experiment.key);
  const [unit, setUnit] = useState("visitor-1");
  const [text, setText] = useState("device: phone");
  const properties = readProperties(text);
  const match = check.data;
  return (
    <form
      className="mt-3 border-t border-base-300 pt-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (properties) check.mutate({ unit, properties });
      }}
    >
      <div className="mb-1 font-semibold">Check a visitor</div>
      <div className="flex flex-wrap items-center gap-2">
        <input
          className="input input-sm w-36"
          aria-label="Visitor"
          value={unit}
          onChange={(event) => setUnit(event.target.value)}
        />
        <input
          className={`input input-sm w-72 ${properties ? "" : "input-error"}`}
          aria-label="Properties of the visitor"
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
      {match && (
        <p role="status" className="mt-2 flex flex-wrap items-center gap-2">
          <span className={`font-semibold ${match.takes_part ? "tone-ahead" : ""}`}>
            {match.takes_part ? "✓ " : ""}
            {REASONS[match.reason]}
          </span>
          <span className="flex items-center gap-1">
            and sees <Letter letter={match.variant} /> {match.name}
          </span>
          {match.because && <span className="quiet text-sm">{match.because}</span>}
        </p>
      )}
    </form>
  );
}
