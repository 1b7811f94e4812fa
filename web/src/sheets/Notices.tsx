import { useSyncExternalStore } from "react";
import type { Experiment, ExperimentChanges } from "../api/client";
import { percentText, plural } from "../lib/format";
import { patience } from "../lib/patience";
import { useEditing } from "./editing";

/** What became of the edits: two that met, one that waits or was refused, and the steps back and forth. */
export function Notices() {
  const { experiment, error, clash, settle, saving, canUndo, canRedo, undo, redo } = useEditing();
  const waiting = useSyncExternalStore(patience.subscribe, patience.get);
  if (clash)
    return (
      <div role="alert" className="sheet mb-3 border-l-4 border-l-warning px-4 py-2">
        <p className="mb-1">Somebody else changed the same meanwhile; what you see now is theirs.</p>
        <table className="table table-sm mb-2">
          <thead>
            <tr>
              <th scope="col">Field</th>
              <th scope="col">Theirs</th>
              <th scope="col">Yours</th>
            </tr>
          </thead>
          <tbody>
            {(Object.keys(clash.mine) as (keyof ExperimentChanges)[]).map((field) => (
              <tr key={field}>
                <th scope="row">{labelOf(field, experiment)}</th>
                <td>{inWords(field, clash.theirs[field])}</td>
                <td>{inWords(field, clash.mine[field])}</td>
              </tr>
            ))}
          </tbody>
        </table>
        <div className="flex gap-2">
          <button className="btn btn-sm" onClick={() => settle(false)}>
            Keep theirs
          </button>
          <button className="btn btn-sm btn-primary" onClick={() => settle(true)}>
            Use mine
          </button>
        </div>
      </div>
    );
  if (waiting > 0)
    return (
      <div role="status" className="sheet mb-3 flex items-center gap-3 border-l-4 border-l-warning px-4 py-2">
        <span className="grow">
          {plural(waiting, "change")} not saved yet: the server does not answer. It is sent again by itself; what you
          typed stays here.
        </span>
        <button className="btn btn-sm" onClick={patience.tryNow}>
          Try now
        </button>
      </div>
    );
  if (error)
    return (
      <div role="alert" className="sheet mb-3 border-l-4 border-l-error px-4 py-2">
        {error.message}
      </div>
    );
  if (!saving && !canUndo && !canRedo) return null;
  return (
    <div className="quiet mb-2 flex items-center gap-2 text-sm" role="status">
      {saving ? "Saving…" : "Saved."}
      <button className="link" onClick={undo} disabled={!canUndo}>
        Undo
      </button>
      {canRedo && (
        <button className="link" onClick={redo}>
          Redo
        </button>
      )}
    </div>
  );
}

/** Fields that are called otherwise on the screen than in the API. */
const LABELS: Partial<Record<keyof ExperimentChanges, string>> = {
  change: "What changes",
  audience: "For whom",
  because: "Because",
  unit_name: "Units are called",
  worthwhile_lift: "Smallest lift worth acting on",
  audience_per_day: "Who qualify a day",
  participation: "Traffic included",
  planned_start: "Planned first day",
  data_from: "Assignments and data",
  assignment_unit: "What is assigned",
  identity: "Who is a unit",
  audience_rules: "Audience",
  forced: "Forced variants",
};
const SHARES: (keyof ExperimentChanges)[] = [
  "worthwhile_lift",
  "participation",
  "confidence",
  "power",
  "exclusion_share",
];

function labelOf(field: keyof ExperimentChanges, experiment: Experiment): string {
  if (field === "baseline") return `${experiment.metric || "Conversions"} today`;
  const words = field.replaceAll("_", " ");
  return LABELS[field] ?? `${words[0]?.toUpperCase()}${words.slice(1)}`;
}

function inWords(field: keyof ExperimentChanges, value: unknown): string {
  if (value === null || value === undefined || value === "") return "empty";
  if (typeof value === "number") return SHARES.includes(field) ? `${percentText(value)}%` : String(value);
  if (typeof value !== "object") return `${value as string | boolean}`;
  const parts = Array.isArray(value) ? (value as unknown[]) : Object.keys(value);
  const named = parts.map((part) => (part && typeof part === "object" && "name" in part ? String(part.name) : part));
  if (named.every((name) => typeof name !== "object")) return named.join(", ") || "empty";
  return plural(parts.length, "line");
}
