import type { Handover } from "../../api/client";
import { useHandoverStep } from "../../api/outcome";
import { percentText } from "../../lib/format";
import { useWritten } from "../../lib/drafts";
import { fromCanonical } from "../../lib/numbers";
import { NumberInput } from "../../parts/NumberInput";
import { errorOf, FormError } from "../../parts/basics";
import { useEditing } from "../editing";
import { NEW_GROUP } from "../../library/ConditionGroups";
import { RolloutLines, type PlanLine } from "./RolloutLines";
import { DayInput } from "../../parts/DayInput";

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

export interface RolloutPlan {
  steps: Line[];
  lines: PlanLine[];
  /** In percent, as typed. */
  holdout: string;
  until: string;
}

/** A rollout as it is edited; without one, everybody at once. */
export function planOf(rollout: Handover | null): RolloutPlan {
  return {
    steps: rollout?.steps.map((one) => ({ day: one.day, share: percentText(one.share) })) ?? [
      { day: today(), share: "100" },
    ],
    lines: rollout?.lines ?? [{ name: "Everybody", letter: "", rules: [] }],
    holdout: percentText(rollout?.holdout ?? 0),
    until: rollout?.until ?? "",
  };
}

/** Where a plan without a test begins: some get it, and a tenth of them is held out. */
const FOR_SOME: Partial<RolloutPlan> = {
  lines: [{ name: "Those it is made for", letter: "", rules: [NEW_GROUP] }],
  holdout: "10",
};

/** As it is sent; a line without a letter gets the variant that was decided for. */
export function sentPlan({ steps, lines, holdout, until }: RolloutPlan, decided: string) {
  return {
    steps: steps.map((line) => ({ day: line.day, share: (fromCanonical(line.share) ?? NaN) / 100 })),
    lines: lines.map((line) => ({ ...line, letter: line.letter || decided })),
    holdout: holdout.trim() ? (fromCanonical(holdout) ?? NaN) / 100 : 0,
    until: until || null,
  };
}

/** What was wrong with the plan, by the fields of the answer that lie under `path`; conditions say it at their fields. */
export function planErrors(error: Error | null, plan: RolloutPlan, path = ""): string[] {
  return plan.steps
    .flatMap((_, at) => [`steps.${at}.share`, `steps.${at}.day`])
    .concat(plan.lines.flatMap((_, at) => [`lines.${at}.name`, `lines.${at}.letter`, `lines.${at}.rules`]))
    .concat("until", "steps", "lines", "holdout")
    .map((field) => errorOf(error, `${path}${field}`))
    .filter((text) => text !== undefined);
}

interface FieldsProps {
  plan: RolloutPlan;
  change: (part: (before: RolloutPlan) => Partial<RolloutPlan>) => void;
  decided: string;
  error: Error | null;
  path?: string;
}

/** Steps with their days, who gets what, how many are held out, and until when. */
export function RolloutFields({ plan, change, decided, error, path = "" }: FieldsProps) {
  const { experiment } = useEditing();
  const served = experiment.data_from === "events";
  return (
    <>
      <Steps lines={plan.steps} setLines={(next) => change((before) => ({ steps: next(before.steps) }))} />
      <RolloutLines
        lines={plan.lines}
        set={(next) => change((before) => ({ lines: next(before.lines) }))}
        decided={decided}
        errorFor={(field) => errorOf(error, `${path}${field}`)}
      />
      <div className="mt-3 flex flex-wrap items-end gap-3">
        {served && (
          <label>
            <span className="quiet block text-sm">Held out to measure it, %</span>
            <NumberInput
              className="input-sm w-24"
              aria-label="Held out, in percent"
              value={plan.holdout}
              change={(holdout) => change(() => ({ holdout }))}
            />
          </label>
        )}
        <label>
          <span className="quiet block text-sm">Until the release, last day (may be empty)</span>
          <DayInput label="Last day" value={plan.until} change={(until) => change(() => ({ until }))} />
        </label>
      </div>
      {served && (
        <p className="quiet mt-1 text-sm">
          {fromCanonical(plan.holdout)
            ? "They keep A as long as the rollout lasts. Another list or another share begins the count once more."
            : "With nobody held out, nothing will show what the rollout brings."}
        </p>
      )}
    </>
  );
}

interface FormProps {
  rollout: Handover | null;
  close: () => void;
  /** Of a draft: it is given without a test. */
  withoutTest?: boolean;
  done?: () => void;
}

/** The plan of a rollout after the decision, or without a test. */
export function RolloutForm({ rollout, close, withoutTest = false, done = close }: FormProps) {
  const { experiment } = useEditing();
  const step = useHandoverStep(experiment.key);
  const {
    form: plan,
    write,
    done: drop,
  } = useWritten("rollout", {
    ...planOf(rollout),
    ...(withoutTest && FOR_SOME),
  });
  const given = experiment.decision || rollout?.letter || "B";
  const errors = planErrors(step.error, plan);
  return (
    <form
      className="mt-2 border-t border-base-300 pt-2"
      onSubmit={(event) => {
        event.preventDefault();
        const sent = { kind: "rollout" as const, ...sentPlan(plan, given), without_test: withoutTest };
        step.mutateAsync(sent).then(
          () => {
            drop();
            done();
          },
          () => undefined,
        );
      }}
    >
      <RolloutFields plan={plan} change={(part) => write(part(plan))} decided={given} error={step.error} />
      {errors.length > 0 ? (
        <p role="alert" className="mt-2 text-sm text-error">
          {errors.join("; ")}
        </p>
      ) : (
        <FormError error={step.error} />
      )}
      <div className="mt-3 flex gap-2">
        <button className="btn btn-sm btn-primary" disabled={step.isPending}>
          {withoutTest ? "Give it" : "Save the rollout"}
        </button>
        <button
          type="button"
          className="btn btn-sm"
          onClick={() => {
            drop();
            close();
          }}
        >
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
        <div key={place} className="mb-1 flex flex-wrap items-center gap-2">
          <label className="flex items-center gap-2">
            <span className="quiet w-10 text-sm">from</span>
            <DayInput
              label={`Day of step ${place + 1}`}
              aria-label={`Day of step ${place + 1}`}
              value={line.day}
              change={(day) => change(place, { day })}
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
