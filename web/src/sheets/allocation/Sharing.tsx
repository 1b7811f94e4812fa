import type { Experiment, Policy } from "../../api/client";
import { designNamed, vocabulary } from "../../api/vocabulary";
import { count, plural } from "../../lib/format";
import { FormError, Panel } from "../../parts/basics";
import { ChoiceField, NumberField, TextField } from "../../parts/fields";
import { RadioCard } from "../../parts/RadioCard";
import { variantsIn } from "../../api/edits";
import { useEditing } from "../editing";
import { Split } from "../traffic/Split";
import { StretchesPanel } from "../traffic/StretchesPanel";
import { AllocationRehearsalPanel } from "./AllocationRehearsal";
import { SharesPanel } from "./SharesPanel";

export const USUAL: Policy = {
  kind: "proportional",
  metric: "",
  epoch_hours: 24,
  even_epochs: 1,
  even_units: 100,
  floor: 0.05,
  max_change: 0.25,
  half_life: null,
  properties: [],
  uniform: 0.1,
};

/** The floor where several properties count: what stays even whatever is seen tries every variant already. */
const FLOOR_OF_SEVERAL = 0.01;

/** The method that is taken where shares follow the evidence and the one at hand does not hold. */
const HOLDING = vocabulary.methods.find(
  (one) => one.holds_at_any_time && !(one.name in designNamed("adaptive").refused),
)?.name as Experiment["method"];

const LENGTHS: [number, string][] = [
  [1, "an hour"],
  [6, "six hours"],
  [12, "half a day"],
  [24, "a day"],
  [48, "two days"],
  [168, "a week"],
];

/** A fixed split, or shares that follow the evidence: which of them, by what policy, and what that would bring. */
export function Sharing() {
  const { experiment } = useEditing();
  const started = experiment.rule_locked_at !== null;
  const follows = experiment.allocation !== null;
  return (
    <>
      {started && follows && <SharesPanel />}
      {experiment.data_from === "events" && <Choice />}
      {follows ? <PolicyPanel /> : <Split />}
      {started && !follows && <StretchesPanel />}
      {follows && <AllocationRehearsalPanel />}
    </>
  );
}

const WAYS = [
  {
    follows: false,
    name: "A fixed split",
    description: "Shares stay as they are set. Shows soonest which variant is better.",
  },
  {
    follows: true,
    name: "Following the evidence",
    description: "Variants that look better are shown to more of the later visitors.",
  },
];

function Choice() {
  const { experiment, save, mayEdit, locked, error } = useEditing();
  const fixed = locked || !mayEdit;
  const choose = (follows: boolean) =>
    save((latest) =>
      follows
        ? {
            allocation: usual(latest),
            method: latest.method in designNamed("adaptive").refused ? HOLDING : latest.method,
            variants: variantsIn(latest).map((variant) => ({ ...variant, weight: 1 })),
          }
        : { allocation: null },
    );
  return (
    <Panel
      fold={locked ? "sharing" : undefined}
      title="Shares"
      note={locked ? "chosen before the start" : "locked at the start"}
      line={WAYS.find((way) => way.follows === (experiment.allocation !== null))?.name}
    >
      <fieldset disabled={fixed} className="grid grid-cols-2 gap-1.5 max-lg:grid-cols-1">
        <legend className="sr-only">How shares are set</legend>
        {WAYS.map((way) => (
          <RadioCard
            key={way.name}
            group="sharing"
            name={way.name}
            description={way.description}
            chosen={(experiment.allocation !== null) === way.follows}
            choose={() => choose(way.follows)}
          />
        ))}
      </fieldset>
      <FormError error={error} />
    </Panel>
  );
}

/** A floor that so many variants can all have. */
function usual(experiment: Experiment): Policy {
  return { ...USUAL, floor: Math.min(0.05, 0.4 / experiment.variants.length) };
}

function PolicyPanel() {
  const { experiment, save, mayEdit, locked, errorFor, errorsIn } = useEditing();
  const fixed = locked || !mayEdit;
  const policy = { ...USUAL, ...experiment.allocation };
  const set = (change: Partial<Policy>) =>
    save((latest) => ({ allocation: { ...USUAL, ...latest.allocation, ...change } }));
  const number =
    (field: "even_epochs" | "even_units" | "floor" | "max_change" | "half_life" | "uniform") =>
    (value: number | null) =>
      set({ [field]: value });
  const wrong = (field: string) => errorFor(`allocation.${field}`);
  const several = policy.properties.length > 1;
  const byProperties = (text: string) => {
    const properties = text
      .split(",")
      .map((name) => name.trim())
      .filter(Boolean);
    // A floor that nobody chose goes with the number of properties.
    const floorOf = (those: string[]) => (those.length > 1 ? FLOOR_OF_SEVERAL : usual(experiment).floor);
    const chosen = policy.floor !== floorOf(policy.properties);
    return set({ properties, floor: chosen ? policy.floor : floorOf(properties) });
  };
  const lengths = LENGTHS.some(([hours]) => hours === policy.epoch_hours)
    ? LENGTHS
    : [...LENGTHS, [policy.epoch_hours, plural(policy.epoch_hours, "hour")] as [number, string]];
  const allocationMetric = experiment.metrics.find((use) =>
    policy.metric ? use.key === policy.metric : use.role === "primary",
  );
  return (
    <Panel title="Allocation policy" note="Only new visitors are affected; a visitor keeps the variant seen first.">
      <div className="grid grid-cols-2 gap-x-8 max-lg:grid-cols-1">
        <div>
          <ChoiceField
            label="Shares are set"
            value={policy.kind}
            options={[
              { value: "proportional", label: "in proportion to the probability of being best" },
              { value: "top_two", label: "so that the two best are distinguished (top two)" },
            ]}
            save={(kind) => set({ kind })}
            locked={fixed}
          />
          <ChoiceField
            label="Metric that shares follow"
            value={policy.metric}
            options={[
              { value: "", label: `the primary metric${experiment.metric ? `: ${experiment.metric}` : ""}` },
              ...experiment.metrics
                .filter((use) => use.role !== "primary")
                .map((use) => ({ value: use.key, label: use.name })),
            ]}
            save={(metric) => set({ metric })}
            locked={fixed}
          />
          <ChoiceField
            label="Length of an epoch"
            value={String(policy.epoch_hours)}
            options={lengths.map(([hours, label]) => ({ value: String(hours), label }))}
            save={(hours) => set({ epoch_hours: Number(hours) })}
            locked={fixed}
          />
          <TextField
            label="Allocated separately by"
            term={several ? "Combination of properties" : "Partially pooled"}
            value={policy.properties.join(", ")}
            placeholder="nothing: everybody alike"
            note={
              several
                ? "Their combinations share what their values have in common (a regression with interactions)."
                : "A property sent with the assignment, such as device, or several with commas between; values share information."
            }
            save={byProperties}
            locked={fixed}
            error={errorsIn("allocation.properties")[0]}
          />
          {several && (
            <NumberField
              label="Assigned evenly, whatever is seen"
              term="Uniform share"
              percent
              value={policy.uniform}
              save={number("uniform")}
              locked={fixed}
              error={wrong("uniform")}
            />
          )}
        </div>
        <div>
          <NumberField
            whole
            label="Even shares for the first"
            unit="epochs"
            value={policy.even_epochs}
            save={number("even_epochs")}
            locked={fixed}
            error={wrong("even_epochs")}
          />
          <NumberField
            whole
            label="and until every variant has"
            unit="units"
            value={policy.even_units}
            save={number("even_units")}
            locked={fixed}
            error={wrong("even_units")}
          />
          <NumberField
            label="Minimum share of each variant"
            percent
            value={policy.floor}
            save={number("floor")}
            locked={fixed}
            error={wrong("floor")}
          />
          <NumberField
            label="Maximum change per epoch"
            percent
            note="percentage points, from one epoch to the next"
            value={policy.max_change}
            save={number("max_change")}
            locked={fixed}
            error={wrong("max_change")}
          />
          <NumberField
            label="Half-life of evidence"
            term="Half-life of evidence"
            unit="epochs"
            note="Empty: old data keep their full weight. Set it where levels drift."
            required={false}
            value={policy.half_life ?? null}
            save={number("half_life")}
            locked={fixed}
            error={wrong("half_life")}
          />
        </div>
      </div>
      <p className="quiet mt-2 text-sm">
        Each epoch is read by itself, by the rule on the Sizing sheet.{" "}
        {allocationMetric && `A visitor counts once the conversion window of ${allocationMetric.name} has closed.`}{" "}
        {experiment.plan &&
          `About ${count((experiment.plan.units_per_day * policy.epoch_hours) / 24)} ${experiment.unit_name} come in an epoch.`}
      </p>
    </Panel>
  );
}
