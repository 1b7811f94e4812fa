import { useState } from "react";
import type { Handover } from "../../api/client";
import { useHandoverStep } from "../../api/outcome";
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

/** Steps with their days, for whom, and until when. */
export function RolloutForm({ rollout, close }: { rollout: Handover | null; close: () => void }) {
  const { experiment } = useEditing();
  const step = useHandoverStep(experiment.key);
  const [lines, setLines] = useState<Line[]>(
    rollout?.steps.map((one) => ({ day: one.day, share: String(Number((one.share * 100).toPrecision(6))) })) ?? [
      { day: today(), share: "100" },
    ],
  );
  const [until, setUntil] = useState(rollout?.until ?? "");
  const condition = rollout?.rules[0]?.conditions[0];
  const [property, setProperty] = useState(condition?.attribute ?? "");
  const [value, setValue] = useState(condition?.values?.join(", ") ?? "");
  const errors = lines
    .flatMap((_, at) => [errorOf(step.error, `steps.${at}.share`), errorOf(step.error, `steps.${at}.day`)])
    .concat(errorOf(step.error, "until"), errorOf(step.error, "steps"))
    .filter(Boolean);
  const send = () => {
    const values = value
      .split(",")
      .map((part) => part.trim())
      .filter(Boolean);
    const rules =
      property.trim() && values.length
        ? [
            {
              kind: "all" as const,
              conditions: [{ attribute: property.trim(), operator: "any_of" as const, values, kind: "text" as const }],
            },
          ]
        : [];
    const steps = lines.map((line) => ({ day: line.day, share: (fromCanonical(line.share) ?? NaN) / 100 }));
    step.mutate({ kind: "rollout", steps, rules, until: until || null }, { onSuccess: close });
  };
  return (
    <form
      className="mt-2 border-t border-base-300 pt-2"
      onSubmit={(event) => {
        event.preventDefault();
        send();
      }}
    >
      <Steps lines={lines} setLines={setLines} />
      <div className="mt-3 flex flex-wrap items-end gap-3">
        <label>
          <span className="quiet block text-sm">Only where this property</span>
          <input
            className="input input-sm w-36"
            placeholder="device"
            value={property}
            onChange={(event) => setProperty(event.target.value)}
          />
        </label>
        <label>
          <span className="quiet block text-sm">is one of (empty: everybody)</span>
          <input
            className="input input-sm w-52"
            placeholder="phone, tablet"
            value={value}
            onChange={(event) => setValue(event.target.value)}
          />
        </label>
        <label>
          <span className="quiet block text-sm">Until the release, last day (may be empty)</span>
          <input
            type="date"
            className="input input-sm w-40"
            value={until}
            onChange={(event) => setUntil(event.target.value)}
          />
        </label>
      </div>
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
