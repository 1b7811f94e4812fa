import { DraftWithin } from "../../parts/DraftWithin";
import { useId, useState } from "react";
import { Link } from "react-router";
import type { MetricUse, MetricUseIn } from "../../api/client";
import { useMetricNames } from "../../api/hooks";
import { useAddMetric, useRemoveMetric, useSegments } from "../../api/running";
import { day } from "../../lib/format";
import { methodNamed } from "../../api/vocabulary";
import { Problem } from "../../library/ConditionFields";
import { FormError, Panel } from "../../parts/basics";
import { ComboInput } from "../../parts/ComboInput";
import { NumberField } from "../../parts/fields";
import { TermMark } from "../../parts/Term";
import { metricsIn } from "../../api/edits";
import { useEditing } from "../editing";

interface StrataProps {
  value: string;
  save: (strata: string) => void;
  locked: boolean;
  error: string | undefined;
}

/** The property by which a rate is compared within segments; shown where there is one to choose, or one is chosen. */
function StrataField({ value, save, locked, error }: StrataProps) {
  const id = useId();
  const kept = useSegments();
  const names = (kept.data?.segments ?? []).filter((line) => line.length === 1).flat();
  if (!value && (locked || names.length === 0)) return null;
  return (
    <div className="ml-[92px] flex flex-wrap items-center gap-3 py-1 text-sm">
      <label htmlFor={id}>Compare within segments of</label>
      {locked ? (
        <b>{value}</b>
      ) : (
        <select
          id={id}
          className="select select-sm w-32"
          value={value}
          aria-invalid={error !== undefined}
          onChange={(event) => save(event.target.value)}
        >
          <option value="">no property</option>
          {[...new Set([...names, ...(value ? [value] : [])])].map((name) => (
            <option key={name}>{name}</option>
          ))}
        </select>
      )}
      <span className="quiet">
        reduces variance where they differ in level
        <TermMark name="Strata" />
      </span>
      {error && <Problem text={error} />}
    </div>
  );
}

type Role = MetricUse["role"];
const ROLES: Record<Role, string> = {
  primary: "primary",
  secondary: "secondary",
  guardrail: "guardrail",
  goal: "second goal",
  exploratory: "exploratory",
};
const DIRECTIONS = { up: "more", down: "less" };
/** Those that a winner hangs on beside the primary metric. */
const GUARDING: Role[] = ["guardrail", "goal"];
const FIRST_MARGIN = { guardrail: 0.02, goal: 0.1 };

/** What is measured beside the metric that decides, each with its part in the verdict. */
export function MetricsPanel() {
  const { experiment, save, mayEdit, locked, errorFor } = useEditing();
  const fixed = locked || !mayEdit;
  const addable =
    mayEdit && experiment.data_from === "events" && ["running", "paused", "ended"].includes(experiment.state);
  const set = (name: string, part: Partial<MetricUseIn>) =>
    save((latest) => ({
      metrics: metricsIn(latest).map((use) => (use.name === name ? { ...use, ...part } : use)),
    }));
  const remove = (name: string) =>
    save((latest) => ({ metrics: metricsIn(latest).filter((use) => use.name !== name) }));
  return (
    <Panel
      title="Metrics"
      note={
        locked
          ? "locked since the start, each in the version of that day"
          : "one is primary; guardrails must not be harmed, goals must be better too"
      }
    >
      {experiment.metrics.length === 0 && (
        <p className="quiet">Name the primary metric above, or choose one from the library here.</p>
      )}
      <ul className="divide-y divide-base-300">
        {experiment.metrics.map((use, index) => (
          <DraftWithin key={use.key} name={use.key}>
            <li className="py-1.5">
              <div className="flex items-baseline gap-3">
                <span className={`w-20 shrink-0 text-sm ${GUARDING.includes(use.role) ? "tone-warning" : "quiet"}`}>
                  {ROLES[use.role]}
                </span>
                <Link className="link w-40 shrink-0 font-semibold" to={`/metrics/${use.key}`}>
                  <bdi>{use.name}</bdi>
                </Link>
                <span className="quiet min-w-0 grow text-sm">
                  {use.words}
                  {use.version < use.latest_version &&
                    ` Version ${use.version}; the library has ${use.latest_version}.`}
                  {use.added_at && ` Added on ${day(use.added_at)}, after the start: no part of the rule.`}
                </span>
                {use.added_at && addable && <RemoveAdded metric={use} />}
                {!fixed && (
                  <button className="btn btn-xs" aria-label={`Remove ${use.name}`} onClick={() => remove(use.name)}>
                    Remove
                  </button>
                )}
              </div>
              {!fixed && (
                <label className="ml-[92px] flex items-center gap-2 py-1 text-sm">
                  Good here is
                  <select
                    className="select select-sm w-52"
                    aria-label={`Good direction of ${use.name}`}
                    value={use.direction ?? ""}
                    onChange={(event) =>
                      set(use.name, { direction: (event.target.value || null) as MetricUse["direction"] })
                    }
                  >
                    <option value="">
                      {use.direction
                        ? "as the library has it"
                        : `${DIRECTIONS[use.good_direction]}, as the library has it`}
                    </option>
                    <option value="up">more</option>
                    <option value="down">less</option>
                  </select>
                </label>
              )}
              {["count", "amount"].includes(use.kind) && (
                <div className="ml-[92px]">
                  <NumberField
                    whole
                    label="Adjust by the same figure before the start, days"
                    unit="days"
                    value={use.before_days ?? null}
                    save={(before_days) => set(use.name, { before_days })}
                    locked={fixed}
                    required={false}
                    error={errorFor(`metrics.${index}.before_days`)}
                    note="empty: no adjustment; reduces variance where the past predicts the outcome"
                  />
                </div>
              )}
              {use.is_rate && !experiment.allocation && !methodNamed(experiment.method).credible && (
                <StrataField
                  value={use.strata ?? ""}
                  save={(strata) => set(use.name, { strata: strata || null })}
                  locked={fixed}
                  error={errorFor(`metrics.${index}.strata`)}
                />
              )}
              {GUARDING.includes(use.role) && (
                <div className="ml-[92px] grid grid-cols-2 gap-x-6 max-lg:grid-cols-1">
                  <NumberField
                    label={use.role === "goal" ? "Change to plan with" : "Margin"}
                    percent
                    value={use.margin ?? null}
                    save={(margin) => set(use.name, { margin })}
                    locked={fixed}
                    error={errorFor(`metrics.${index}.margin`)}
                  />
                  <NumberField
                    label={use.is_rate ? "Rate today" : use.kind === "totals" ? "Level today" : "Mean today"}
                    percent={use.is_rate}
                    unit={use.is_rate ? "%" : use.currency}
                    value={use.baseline ?? null}
                    save={(baseline) => set(use.name, { baseline })}
                    locked={fixed}
                    required={false}
                    error={errorFor(`metrics.${index}.baseline`)}
                  />
                  {!use.is_rate && (
                    <NumberField
                      label="Standard deviation"
                      unit={use.currency}
                      value={use.standard_deviation ?? null}
                      save={(standard_deviation) => set(use.name, { standard_deviation })}
                      locked={fixed}
                      required={false}
                      error={errorFor(`metrics.${index}.standard_deviation`)}
                    />
                  )}
                </div>
              )}
            </li>
          </DraftWithin>
        ))}
      </ul>
      {!fixed && <AddMetric />}
      {addable && <AddAfterStart />}
    </Panel>
  );
}

function RemoveAdded({ metric }: { metric: MetricUse }) {
  const { experiment } = useEditing();
  const remove = useRemoveMetric(experiment.key);
  return (
    <button
      className="btn btn-xs"
      aria-label={`Remove ${metric.name}`}
      disabled={remove.isPending}
      onClick={() => remove.mutate(metric.key)}
    >
      Remove
    </button>
  );
}

/** One more metric of the library, watched on the events that are there already. */
function AddAfterStart() {
  const { experiment } = useEditing();
  const names = useMetricNames();
  const [name, setName] = useState("");
  const add = useAddMetric(experiment.key);
  return (
    <form
      className="mt-2 flex flex-wrap items-center gap-2 border-t border-base-300 pt-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (name.trim()) add.mutate(name.trim(), { onSuccess: () => setName("") });
      }}
    >
      <ComboInput
        label="Watch one more metric"
        hideLabel
        className="w-64"
        placeholder="Watch one more metric"
        value={name}
        change={setName}
        options={names.filter((known) => !experiment.metrics.some((use) => use.name === known))}
      />
      <button className="btn btn-sm" disabled={add.isPending}>
        {add.isPending ? "Counting…" : "Add as exploratory"}
      </button>
      <span className="quiet text-sm">All days are counted by it; it takes no part in the rule.</span>
      <FormError error={add.error} />
    </form>
  );
}

/** Offered where a name is not in the library: nothing is made by a slip. */
export function MakeNew({ name, make }: { name: string; make: () => void }) {
  return (
    <button type="button" className="btn btn-xs mt-1" onClick={make}>
      Make “{name}” a new metric, a plain conversion
    </button>
  );
}

function AddMetric() {
  const { experiment, save, errorFor } = useEditing();
  const names = useMetricNames();
  const [name, setName] = useState("");
  const [role, setRole] = useState<Role>("secondary");
  const [tried, setTried] = useState("");
  const add = (wanted: string, isNew = false) => {
    if (!wanted) return;
    setTried(isNew ? "" : wanted);
    const line = {
      name: wanted,
      new: isNew,
      role,
      margin: role === "guardrail" || role === "goal" ? FIRST_MARGIN[role] : null,
      baseline: null,
      standard_deviation: null,
    };
    save((latest) => ({ metrics: [...metricsIn(latest), line] }));
    setName("");
  };
  const error = tried ? (errorFor("metrics") ?? errorFor(`metrics.${experiment.metrics.length}.name`)) : undefined;
  return (
    <form
      className="mt-2 flex flex-wrap items-center gap-2 border-t border-base-300 pt-2"
      onSubmit={(event) => {
        event.preventDefault();
        add(name.trim());
      }}
    >
      <ComboInput
        label="Another metric"
        hideLabel
        className="w-64"
        placeholder="Another metric, by name"
        value={name}
        change={setName}
        options={names}
      />
      <select
        className="select select-sm w-32"
        aria-label="Role"
        value={role}
        onChange={(event) => setRole(event.target.value as Role)}
      >
        <option value="secondary">secondary</option>
        <option value="guardrail">guardrail</option>
        <option value="goal">second goal</option>
      </select>
      <button className="btn btn-sm">Add</button>
      {error && (
        <span role="alert" className="text-sm text-error">
          {error}
        </span>
      )}
      {error && tried && <MakeNew name={tried} make={() => add(tried, true)} />}
    </form>
  );
}
