import { useState } from "react";
import { Link } from "react-router";
import type { Experiment, ExperimentChanges } from "../../api/client";
import { LooksPicture } from "../../charts/LooksPicture";
import { day, plural } from "../../lib/format";
import { parseNumber } from "../../lib/format";
import { Panel } from "../../parts/basics";
import { ChoiceField, NumberField, TextField } from "../../parts/fields";
import { RadioCard } from "../../parts/RadioCard";
import { useEditing } from "../editing";

type Method = Experiment["method"];
const METHODS: { key: Method; name: string; told: string }[] = [
  { key: "fixed", name: "Once", told: "One reading when the plan is fulfilled: the shortest plan, and no early stop." },
  {
    key: "looks",
    name: "Planned looks",
    told: "A few readings on set days. May stop early; costs a few percent more data.",
  },
  {
    key: "anytime",
    name: "Any time",
    told: "Read whenever you like; the band allows for it. Costs over half as much again.",
  },
  {
    key: "bayesian",
    name: "Posterior",
    told: "Act on a probability and an expected loss. Promises nothing about false winners.",
  },
];

/** How and when the data are read: four methods, their figures, and the paragraph that will be held to. */
export function RulePanel() {
  const { experiment, save, mayEdit, locked, ruleLocked } = useEditing();
  const fixed = ruleLocked || !mayEdit;
  const plan = experiment.plan;
  return (
    <Panel
      title="Decision rule"
      note={
        locked
          ? `locked since the start${experiment.rule_changes.length ? ", changed since" : ""}`
          : "locked at the start"
      }
      action={
        plan && (
          <Link className="link text-sm" to={`/experiments/${experiment.key}/rehearsal`}>
            Rehearse it
          </Link>
        )
      }
    >
      <p className="mb-3 font-serif text-lg leading-snug">{experiment.rule_in_words}</p>
      {locked && mayEdit && <ForAReason />}
      <fieldset disabled={fixed}>
        <legend className="quiet mb-1 text-sm">It is read</legend>
        <div className="grid grid-cols-2 gap-1.5 max-lg:grid-cols-1">
          {METHODS.map((method) => (
            <RadioCard
              key={method.key}
              group="method"
              name={method.name}
              told={method.told}
              chosen={experiment.method === method.key}
              disabled={experiment.allocation !== null && method.key !== "anytime"}
              choose={() => save({ method: method.key })}
            />
          ))}
        </div>
      </fieldset>
      {experiment.allocation !== null && (
        <p className="quiet mt-1 text-sm">
          Shares follow the evidence, and who may stop when it looks good must read in a way that holds at any time.
        </p>
      )}
      <div className="mt-2 grid grid-cols-2 gap-x-6 max-xl:grid-cols-1">
        <Figures fixed={fixed} />
        {plan && plan.looks.length > 0 && (
          <div>
            <LooksPicture looks={plan.looks} days={7 * plan.weeks} worthwhile={experiment.worthwhile_lift} />
            <p className="quiet text-sm">
              A lift must be seen beyond the line to be called on that day. All in all{" "}
              {Math.round((plan.inflation - 1) * 1000) / 10}% more data than a single reading.
            </p>
          </div>
        )}
      </div>
      <RuleChanges experiment={experiment} />
    </Panel>
  );
}

function Figures({ fixed }: { fixed: boolean }) {
  const { experiment, save, errorFor } = useEditing();
  const set = (field: keyof ExperimentChanges) => (value: number | null) => value !== null && save({ [field]: value });
  return (
    <div>
      {experiment.method === "looks" && (
        <>
          <LookDays fixed={fixed} />
          <ChoiceField
            label="The chance of a false alarm is spent"
            value={experiment.spending}
            options={[
              { value: "obrien_fleming", label: "late (O’Brien–Fleming type)" },
              { value: "pocock", label: "evenly (Pocock type)" },
            ]}
            save={(spending) => save({ spending })}
            locked={fixed}
          />
        </>
      )}
      {experiment.method === "bayesian" ? (
        <>
          <NumberField
            label="Probability of being better"
            percent
            unit="% or more"
            value={experiment.superiority}
            save={set("superiority")}
            locked={fixed}
            error={errorFor("superiority")}
          />
          <NumberField
            label="Expected loss of choosing it"
            percent
            unit="% or less"
            value={experiment.expected_loss}
            save={set("expected_loss")}
            locked={fixed}
            error={errorFor("expected_loss")}
            note="of control’s level"
          />
        </>
      ) : (
        <ChoiceField
          label="The confidence holds for"
          value={experiment.sides}
          options={[
            { value: "two", label: "both bounds of the interval (two-sided)" },
            { value: "one", label: "the bound that decides (one-sided)" },
          ]}
          save={(sides) => save({ sides })}
          locked={fixed}
        />
      )}
      <NumberField
        label="At least"
        unit="weeks"
        value={experiment.least_weeks}
        save={set("least_weeks")}
        locked={fixed}
        error={errorFor("changes.least_weeks")}
      />
      <NumberField
        label="Least conversions in each variant"
        value={experiment.least_conversions}
        save={set("least_conversions")}
        locked={fixed}
        error={errorFor("changes.least_conversions")}
      />
      {experiment.metrics.some((use) => use.role === "secondary") && (
        <ChoiceField
          label="Secondary metrics share the level by"
          value={experiment.family}
          options={[
            { value: "holm", label: "Holm: hardly ever a false one among all" },
            { value: "benjamini_hochberg", label: "Benjamini–Hochberg: few false ones among those found" },
          ]}
          save={(family) => save({ family })}
          locked={fixed}
        />
      )}
      <NumberField
        label="Warm-up, left out"
        unit="days"
        value={experiment.warm_up_days}
        save={set("warm_up_days")}
        locked={fixed}
        error={errorFor("changes.warm_up_days")}
        note={experiment.warm_up_days ? "units first seen on these days do not count" : undefined}
      />
      <NumberField
        label="Longest run"
        unit="weeks"
        value={experiment.longest_run_weeks}
        save={(longest_run_weeks) => save({ longest_run_weeks })}
        locked={fixed}
        required={false}
        error={errorFor("changes.longest_run_weeks")}
        note={
          experiment.longest_run_weeks === null
            ? `empty: ${plural(experiment.workspace_longest_run_weeks, "week")}, as set for the workspace`
            : undefined
        }
      />
    </div>
  );
}

/** Either a number of even looks ("4") or the days ("14, 20, 28"). */
export function readLooks(text: string): { looks?: number; look_days: number[] } | null {
  const numbers = text
    .split(/[,;\s]+/)
    .filter(Boolean)
    .map(parseNumber);
  if (numbers.length === 0 || numbers.some((n) => n === null || !Number.isInteger(n) || n < 1)) return null;
  const days = numbers as number[];
  const first = days[0] ?? 0;
  return days.length === 1 && first <= 12 ? { looks: first, look_days: [] } : { look_days: days };
}

function LookDays({ fixed }: { fixed: boolean }) {
  const { experiment, save, errorFor } = useEditing();
  const [wrong, setWrong] = useState("");
  const days = experiment.look_days;
  return (
    <TextField
      label="Looks: how many, or after which days"
      value={days.length ? days.join(", ") : String(experiment.looks)}
      save={(text) => {
        const found = readLooks(text);
        setWrong(found ? "" : `Looks (${text}) must be a number such as 4, or days such as 14, 20, 28`);
        if (found) save(found);
      }}
      locked={fixed}
      error={wrong || errorFor("looks") || errorFor("look_days")}
      note={
        experiment.plan
          ? `after day ${experiment.plan.looks.map((look) => look.day).join(", ")}; the planned end is always the last`
          : "the planned end is always the last"
      }
    />
  );
}

/** After the start the rule opens only for a reason, which everybody will read. */
function ForAReason() {
  const { reason, setReason } = useEditing();
  const [typed, setTyped] = useState("");
  const [asking, setAsking] = useState(false);
  if (reason)
    return (
      <p className="tone-mind mb-2 text-sm" role="status">
        The rule can be changed now; each change is kept with the reason “{reason}” and told in the report.{" "}
        <button className="link" onClick={() => setReason("")}>
          Lock it again
        </button>
      </p>
    );
  if (!asking)
    return (
      <button className="btn btn-xs mb-2" onClick={() => setAsking(true)}>
        Change it for a reason…
      </button>
    );
  return (
    <form
      className="mb-2 flex items-end gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (typed.trim()) setReason(typed.trim());
      }}
    >
      <label className="grow text-sm">
        <span className="quiet block">Why must the rule change after data were seen? The report tells it.</span>
        <input
          autoFocus
          className="input input-sm w-full"
          value={typed}
          onChange={(event) => setTyped(event.target.value)}
        />
      </label>
      <button type="button" className="btn btn-sm" onClick={() => setAsking(false)}>
        Leave it locked
      </button>
      <button className="btn btn-sm btn-primary">Open the rule</button>
    </form>
  );
}

/** What the rule was before each change, and why it changed. */
export function RuleChanges({ experiment }: { experiment: Pick<Experiment, "rule_changes"> }) {
  if (experiment.rule_changes.length === 0) return null;
  return (
    <div className="mt-3 border-t border-base-300 pt-2">
      <h3 className="tone-mind font-sans text-sm font-semibold">Changed after the start</h3>
      {experiment.rule_changes.map((change) => (
        <div key={change.at} className="mt-1 text-sm">
          <p>
            {day(change.at)}, {change.by}: {change.reason}
          </p>
          <p className="quiet">Before: {change.before}</p>
        </div>
      ))}
    </div>
  );
}
