import { useState } from "react";
import type { AllocationRehearsal } from "../../api/client";
import { useAllocationRehearsal, useRehearseAllocation } from "../../api/allocation";
import { useCancelRehearsal } from "../../api/hooks";
import { count, percentText, signed } from "../../lib/format";
import { fromCanonical } from "../../lib/numbers";
import { NumberInput } from "../../parts/NumberInput";
import { DataTable } from "../../parts/DataTable";
import { Letter } from "../../parts/Letter";
import { FormError, Panel } from "../../parts/basics";
import { Running } from "../../parts/Running";
import { useEditing } from "../editing";

/** The even split held against the policy on the experiment's own figures, before anybody comes. */
export function AllocationRehearsalPanel() {
  const { experiment, mayEdit } = useEditing();
  const key = experiment.key;
  const latest = useAllocationRehearsal(key);
  const begin = useRehearseAllocation(key);
  const cancel = useCancelRehearsal(key);
  const rehearsal = latest.data?.rehearsal ?? null;
  const others = experiment.variants.slice(1);
  const several = (experiment.allocation?.properties.length ?? 0) > 1;
  const [typed, setTyped] = useState<string[] | null>(null);
  const [drift, setDrift] = useState<string | null>(null);
  const [wrong, setWrong] = useState("");
  const sign = experiment.good_direction === "down" ? -1 : 1;
  const usual = others.map((_, place) => (place === 0 ? sign * experiment.worthwhile_lift : 0));
  const before = rehearsal?.lifts.length === others.length ? rehearsal.lifts : usual;
  const lifts = typed ?? before.map((lift) => percentText(lift));
  const drifts = drift ?? percentText(rehearsal?.drift ?? 0);
  const running = rehearsal?.state === "running";
  const submit = () => {
    const numbers = lifts.map((text) => fromCanonical(text));
    const d = fromCanonical(drifts);
    if (numbers.some((n) => n === null || Number.isNaN(n)) || d === null || Number.isNaN(d)) {
      setWrong("Each lift, and the drift, must be a number such as 5");
      return;
    }
    setWrong("");
    begin.mutate({ lifts: numbers.map((n) => (n ?? 0) / 100), drift: d / 100, runs: 200, seed: 1 });
  };
  return (
    <Panel
      title="Rehearsal of the allocation"
      note={
        several
          ? "The plan simulated with even shares and with this policy, as if all combinations were alike."
          : "The plan simulated with even shares and with this policy, for the lifts you expect."
      }
    >
      {!experiment.plan ? (
        <p className="quiet text-sm">Enter today’s level and the units per day on the Sizing sheet first.</p>
      ) : (
        <form
          className="flex flex-wrap items-end gap-3"
          onSubmit={(event) => {
            event.preventDefault();
            submit();
          }}
        >
          {others.map((variant, place) => (
            <label key={variant.id} className="text-sm">
              <span className="quiet flex items-center gap-1">
                True lift of <Letter letter={variant.letter} /> %
              </span>
              <NumberInput
                className="input-sm w-24"
                value={lifts[place] ?? ""}
                change={(lift) => setTyped(lifts.map((text, i) => (i === place ? lift : text)))}
              />
            </label>
          ))}
          <label className="text-sm">
            <span className="quiet block">All levels drift by %</span>
            <NumberInput className="input-sm w-24" value={drifts} change={setDrift} />
          </label>
          {mayEdit && (
            <button className="btn btn-sm btn-primary" disabled={running || begin.isPending}>
              Rehearse
            </button>
          )}
        </form>
      )}
      {running && <Running progress={rehearsal.progress} cancel={mayEdit ? () => cancel.mutate(rehearsal.id) : null} />}
      <p className="quiet mt-1 text-sm" role="status">
        {rehearsal?.state === "failed" && rehearsal.problem}
        {rehearsal?.state === "cancelled" && "Cancelled; no results were kept."}
        {rehearsal?.state === "done" && rehearsal.stale && (
          <span className="tone-warning">
            The plan or the policy has changed since; these results are of the earlier ones.
          </span>
        )}
      </p>
      {wrong && (
        <p role="alert" className="text-sm text-error">
          {wrong}
        </p>
      )}
      <FormError error={begin.error ?? cancel.error ?? latest.error} />
      {rehearsal?.state === "done" && rehearsal.result && <Outcome rehearsal={rehearsal} />}
    </Panel>
  );
}

type Result = NonNullable<AllocationRehearsal["result"]>;
type Way = Result["even"];

const bias = (interval: Way["pooled_bias"]) =>
  interval.estimate === null
    ? "–"
    : `${signed(interval.estimate)} (${signed(interval.low)} to ${signed(interval.high)})`;

/** Line by line: what it is, with even shares, following the evidence. */
export function rehearsedLines(result: Result, metric: string): [string, string, string][] {
  const both = (text: (way: Way) => string): [string, string] => [text(result.even), text(result.adaptive)];
  return [
    [`${metric} in ${result.days} days`, ...both((way) => count(way.total))],
    ["calls the best variant", ...both((way) => way.right.text)],
    ["calls a variant that is not better", ...both((way) => way.false.text)],
    ["calls none", ...both((way) => way.open.text)],
    [
      "median days until it calls",
      ...both((way) => (way.median_days === null ? "over the plan" : String(Math.round(way.median_days)))),
    ],
    ["the best one leads at the end", ...both((way) => way.picked.text)],
    ["bias of B’s lift, pooled over epochs", ...both((way) => bias(way.pooled_bias))],
    ["bias of B’s lift, stratified by epoch", ...both((way) => bias(way.stratified_bias))],
  ];
}

function Outcome({ rehearsal }: { rehearsal: AllocationRehearsal }) {
  const { experiment } = useEditing();
  const result = rehearsal.result;
  if (!result) return null;
  const lines = rehearsedLines(result, experiment.metric || "conversions");
  return (
    <>
      <p className="mt-2 font-serif text-lg leading-snug">{result.sentence}</p>
      <DataTable
        label="Results with even shares and with the policy"
        rows={lines}
        rowKey={([what]) => what}
        sortable={false}
        columns={[
          { name: "Result", align: "left", hideable: false, value: ([what]) => what, cell: ([what]) => what },
          {
            name: "Even shares",
            className: "whitespace-nowrap",
            value: ([, even]) => even,
            cell: ([, even]) => even,
          },
          {
            name: "Following",
            className: "whitespace-nowrap",
            value: ([, , following]) => following,
            cell: ([, , following]) => following,
          },
        ]}
        below={
          <span>
            {count(rehearsal.runs)} runs each way, seed {rehearsal.seed}; ± 95%. Gained:{" "}
            {result.gained.estimate === null
              ? "–"
              : `${count(result.gained.estimate)} (${count(result.gained.low ?? 0)} to ${count(result.gained.high ?? 0)})`}
          </span>
        }
      />
    </>
  );
}
