import { kindNamed } from "../api/vocabulary";
import { useState } from "react";
import type { Definition, MetricPreview } from "../api/client";
import { useMetricPreview, useSampleEvents } from "../api/hooks";
import { useSettled } from "../lib/useSettled";
import { Panel } from "../parts/basics";
import { Problem } from "./ConditionFields";

/** What the definition would count of some events, event by event. */
export function WorkedExample({ definition, said }: { definition: Definition; said: string | undefined }) {
  const sample = useSampleEvents();
  const [own, setOwn] = useState<string | null>(null);
  const [editing, setEditing] = useState(false);
  const events = own ?? sample.data?.events ?? null;
  const settled = useSettled(definition, 300);
  const preview = useMetricPreview(settled, useSettled(events, 300));
  return (
    <Panel
      title="Worked example"
      note="on invented events"
      action={
        <button className="btn btn-xs" aria-expanded={editing} onClick={() => setEditing(!editing)}>
          {editing ? "Hide" : "Try your own"}
        </button>
      }
    >
      {editing && (
        <textarea
          className="textarea mb-2 h-48 w-full font-mono text-xs"
          aria-label="Events, one JSON object a line"
          spellCheck={false}
          value={events ?? ""}
          onChange={(event) => setOwn(event.target.value)}
        />
      )}
      {preview.isError && <Problem text={preview.error.message} />}
      {preview.data && !preview.isError && <Counted preview={preview.data} kind={settled.kind} said={said} />}
    </Panel>
  );
}

interface CountedProps {
  preview: MetricPreview;
  kind: Definition["kind"];
  /** The sentence that stands on the page already, of the definition as it is kept. */
  said: string | undefined;
}

function Counted({ preview, kind, said }: CountedProps) {
  const { measured_as: measuredAs } = kindNamed(kind);
  return (
    <>
      {preview.words !== said && <p className="mb-2 font-serif text-lg leading-snug">{preview.words}</p>}
      <p className="mb-2">
        <b className="text-lg">{preview.figure_text}</b>{" "}
        <span className="quiet text-sm">
          {preview.denominator != null
            ? `${figure(preview.total)} over ${figure(preview.denominator)}`
            : measuredAs && measuredAs !== kind
              ? `${figure(preview.total)} of ${preview.units.length} units have a value`
              : `${figure(preview.total)} over ${preview.units.length} units`}
          {preview.steps.length > 0 && `; step by step: ${preview.steps.join(" → ")}`}
        </span>
      </p>
      {preview.units.map((unit) => (
        <div key={unit.unit} className="border-t border-base-300 py-1">
          <div className="flex justify-between text-sm font-semibold">
            <span>{unit.unit}</span>
            <span>
              {kind === "ratio"
                ? `${figure(unit.value ?? 0)} over ${figure(unit.denominator ?? 0)}`
                : kindNamed(kind).parts.includes("steps")
                  ? `step ${unit.steps}`
                  : unit.value == null
                    ? "no value"
                    : figure(unit.value)}
            </span>
          </div>
          <ul className="text-xs">
            {unit.lines.map((line, index) => (
              <li key={index} className={`flex gap-2 ${line.counted ? "" : "quiet"}`}>
                <span aria-hidden>{line.counted ? "●" : "○"}</span>
                <span className="min-w-0 grow truncate" title={line.properties}>
                  {line.event} {line.properties && <span className="quiet">({line.properties})</span>}
                </span>
                <span className="text-right">{line.reason}</span>
              </li>
            ))}
            {unit.lines.length === 0 && <li className="quiet">no events after the exposure</li>}
          </ul>
        </div>
      ))}
    </>
  );
}

function figure(value: number): string {
  return value.toLocaleString("en-GB", { maximumFractionDigits: 2 });
}
