import { useState } from "react";
import type { Handover } from "../../api/client";
import { useHandoverStep } from "../../api/outcome";
import { plural } from "../../lib/format";
import { fromCanonical } from "../../lib/numbers";
import { NumberInput } from "../../parts/NumberInput";
import { errorOf, FormError } from "../../parts/basics";
import { useEditing } from "../editing";

interface Line {
  day: string;
  share: string;
}

function today(): string {
  return new Date().toISOString().slice(0, 10);
}

function after(days: number): string {
  return new Date(Date.now() + days * 86_400_000).toISOString().slice(0, 10);
}

type Rules = Handover["rules"];

export interface RolloutPlan {
  lines: Line[];
  until: string;
  /** Rules that two fields cannot show; they are kept as they are. Null where the two fields say it all. */
  kept: Rules | null;
  property: string;
  values: string;
}

/** Whether the two fields can show all of the rules. */
function isSimple(rules: Rules): boolean {
  const [group] = rules;
  if (!group) return true;
  const [condition] = group.conditions;
  const one = rules.length === 1 && group.conditions.length === 1;
  return one && ["is", "any_of"].includes(condition?.operator ?? "") && (condition?.kind ?? "text") === "text";
}

/** A rollout as it is edited; without one, everybody at once. */
export function planOf(rollout: Handover | null): RolloutPlan {
  const rules = rollout?.rules ?? [];
  const condition = isSimple(rules) ? rules[0]?.conditions[0] : undefined;
  return {
    lines: rollout?.steps.map((one) => ({
      day: one.day,
      share: String(Number((one.share * 100).toPrecision(6))),
    })) ?? [{ day: today(), share: "100" }],
    until: rollout?.until ?? "",
    kept: isSimple(rules) ? null : rules,
    property: condition?.attribute ?? "",
    values: condition?.values?.join(", ") ?? "",
  };
}

/** As it is sent. */
export function sentPlan({ lines, until, kept, property, values }: RolloutPlan) {
  const listed = values
    .split(",")
    .map((part) => part.trim())
    .filter(Boolean);
  const simple: Rules =
    property.trim() && listed.length
      ? [
          {
            kind: "all",
            conditions: [{ attribute: property.trim(), operator: "any_of", values: listed, kind: "text" }],
          },
        ]
      : [];
  return {
    steps: lines.map((line) => ({ day: line.day, share: (fromCanonical(line.share) ?? NaN) / 100 })),
    rules: kept ?? simple,
    until: until || null,
  };
}

/** What was wrong with the plan, by the fields of the answer that lie under `path`. */
export function planErrors(error: Error | null, plan: RolloutPlan, path = ""): string[] {
  return plan.lines
    .flatMap((_, at) => [`steps.${at}.share`, `steps.${at}.day`])
    .concat("until", "steps", "rules")
    .map((field) => errorOf(error, `${path}${field}`))
    .filter((text) => text !== undefined);
}

interface FieldsProps {
  plan: RolloutPlan;
  change: (part: (before: RolloutPlan) => Partial<RolloutPlan>) => void;
}

/** Steps with their days, for whom, and until when. */
export function RolloutFields({ plan, change }: FieldsProps) {
  return (
    <>
      <Steps lines={plan.lines} setLines={(next) => change((before) => ({ lines: next(before.lines) }))} />
      <div className="mt-3 flex flex-wrap items-end gap-3">
        {plan.kept ? (
          <p className="text-sm">
            Its rules stay as they are: {plural(plan.kept.length, "group")} of conditions.{" "}
            <button type="button" className="btn btn-xs" onClick={() => change(() => ({ kept: null }))}>
              Set others
            </button>
          </p>
        ) : (
          <>
            <label>
              <span className="quiet block text-sm">Only where this property</span>
              <input
                className="input input-sm w-36"
                placeholder="device"
                value={plan.property}
                onChange={(event) => change(() => ({ property: event.target.value }))}
              />
            </label>
            <label>
              <span className="quiet block text-sm">is one of (empty: everybody)</span>
              <input
                className="input input-sm w-52"
                placeholder="phone, tablet"
                value={plan.values}
                onChange={(event) => change(() => ({ values: event.target.value }))}
              />
            </label>
          </>
        )}
        <label>
          <span className="quiet block text-sm">Until the release, last day (may be empty)</span>
          <input
            type="date"
            className="input input-sm w-40"
            value={plan.until}
            onChange={(event) => change(() => ({ until: event.target.value }))}
          />
        </label>
      </div>
    </>
  );
}

/** The plan of a rollout after the decision. */
export function RolloutForm({ rollout, close }: { rollout: Handover | null; close: () => void }) {
  const { experiment } = useEditing();
  const step = useHandoverStep(experiment.key);
  const [plan, setPlan] = useState(() => planOf(rollout));
  const errors = planErrors(step.error, plan);
  return (
    <form
      className="mt-2 border-t border-base-300 pt-2"
      onSubmit={(event) => {
        event.preventDefault();
        step.mutate({ kind: "rollout", ...sentPlan(plan) }, { onSuccess: close });
      }}
    >
      <RolloutFields plan={plan} change={(part) => setPlan((before) => ({ ...before, ...part(before) }))} />
      {errors.length > 0 ? (
        <p role="alert" className="mt-2 text-sm text-error">
          {errors.join("; ")}
        </p>
      ) : (
        <FormError error={step.error} />
      )}
      <div className="mt-3 flex gap-2">
        <button className="btn btn-sm btn-primary" disabled={step.isPending}>
          Save the rollout
        </button>
        <button type="button" className="btn btn-sm" onClick={close}>
          Cancel
        </button>
      </div>
    </form>
  );
}

interface StepsProps {
  lines: Line[];
  setLines: (change: (before: Line[]) => Line[]) => void;
}

/** The steps: at once, or shares that grow from day to day. */
function Steps({ lines, setLines }: StepsProps) {
  const change = (place: number, part: Partial<Line>) =>
    setLines((before) => before.map((line, at) => (at === place ? { ...line, ...part } : line)));
  const atOnce = () => [{ day: today(), share: "100" }];
  const bySteps = () => [
    { day: today(), share: "10" },
    { day: after(3), share: "50" },
    { day: after(7), share: "100" },
  ];
  return (
    <>
      <div className="mb-2 flex flex-wrap gap-2 text-sm">
        <button type="button" className="btn btn-xs" onClick={() => setLines(atOnce)}>
          At once
        </button>
        <button type="button" className="btn btn-xs" onClick={() => setLines(bySteps)}>
          By steps: 10, 50, 100%
        </button>
      </div>
      {lines.map((line, place) => (
        <div key={place} className="mb-1 flex items-center gap-2">
          <label className="flex items-center gap-2">
            <span className="quiet w-10 text-sm">from</span>
            <input
              type="date"
              className="input input-sm w-40"
              aria-label={`Day of step ${place + 1}`}
              value={line.day}
              onChange={(event) => change(place, { day: event.target.value })}
            />
          </label>
          <NumberInput
            className="input-sm w-20"
            aria-label={`Share of step ${place + 1}`}
            value={line.share}
            change={(share) => change(place, { share })}
          />
          <span className="quiet text-sm">%</span>
          {lines.length > 1 && (
            <button
              type="button"
              className="btn btn-xs"
              aria-label={`Remove step ${place + 1}`}
              onClick={() => setLines((before) => before.filter((_, at) => at !== place))}
            >
              Remove
            </button>
          )}
        </div>
      ))}
      <button
        type="button"
        className="btn btn-xs"
        onClick={() => setLines((before) => [...before, { day: after(7 * before.length), share: "100" }])}
      >
        Another step
      </button>
    </>
  );
}
