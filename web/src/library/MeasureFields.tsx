import { useState } from "react";
import type { Measure } from "../api/client";
import { fromCanonical } from "../lib/numbers";
import { NumberInput } from "../parts/NumberInput";
import { Problem } from "./ConditionFields";
import { EventFields } from "./EventFields";

interface Props {
  label: string;
  value: Measure;
  set: (value: Measure) => void;
  /** Given for the sides of a ratio, which may be of any kind. */
  anyKind?: boolean;
  errorFor: (path: string) => string | undefined;
}

const KINDS: [Measure["kind"], string][] = [
  ["conversion", "units that did"],
  ["count", "number of"],
  ["amount", "sum of a property of"],
];

/** What one unit counts: an event, how often, or the sum of one of its properties; capped if wanted. */
export function MeasureFields({ label, value, set, anyKind = false, errorFor }: Props) {
  const problem = ["kind", "amount_of", "cap", "first_only"].map(errorFor).find(Boolean);
  return (
    <fieldset className="border-b border-base-300 py-2">
      <legend className="quiet text-sm">{label}</legend>
      <div className="flex flex-wrap items-start gap-2">
        {anyKind && (
          <select
            className="select select-sm w-44"
            aria-label={`${label}: what`}
            value={value.kind}
            onChange={(event) =>
              set({ ...value, kind: event.target.value as Measure["kind"], cap: null, first_only: false })
            }
          >
            {KINDS.map(([kind, name]) => (
              <option key={kind} value={kind}>
                {name}
              </option>
            ))}
          </select>
        )}
        <EventFields
          label={label}
          value={value.events}
          set={(events) => set({ ...value, events })}
          errorFor={(path) => errorFor(`events.${path}`)}
        />
      </div>
      <div className="mt-1 flex flex-wrap items-center gap-3">
        {value.kind === "amount" && (
          <label className="flex items-center gap-2 text-sm">
            <span className="quiet">Property that is summed</span>
            <input
              className="input input-sm w-36"
              placeholder="amount"
              value={value.amount_of ?? ""}
              onChange={(event) => set({ ...value, amount_of: event.target.value })}
            />
          </label>
        )}
        {value.kind !== "conversion" && (
          <label className="flex items-center gap-2 text-sm">
            <span className="quiet">Counts</span>
            <select
              className="select select-sm w-40"
              aria-label={`${label}: every event or the first`}
              value={value.first_only ? "first" : "every"}
              onChange={(event) => set({ ...value, first_only: event.target.value === "first" })}
            >
              <option value="every">every event</option>
              <option value="first">the first event only</option>
            </select>
          </label>
        )}
        {value.kind !== "conversion" && (
          <Cap label={label} value={value.cap ?? null} set={(cap) => set({ ...value, cap })} />
        )}
      </div>
      {problem && <Problem text={problem} />}
    </fieldset>
  );
}

function Cap({ label, value, set }: { label: string; value: number | null; set: (cap: number | null) => void }) {
  const [text, setText] = useState(value === null ? "" : String(value));
  return (
    <label className="flex items-center gap-2 text-sm">
      <span className="quiet">A unit counts at most</span>
      <NumberInput
        className="input-sm w-24"
        aria-label={`${label}: a unit counts at most`}
        placeholder="no cap"
        value={text}
        change={(next) => {
          setText(next);
          const cap = fromCanonical(next);
          if (cap === null || !Number.isNaN(cap)) set(cap);
        }}
      />
    </label>
  );
}
