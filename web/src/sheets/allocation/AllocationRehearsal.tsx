import { useState } from "react";
import type { AllocationRehearsal } from "../../api/client";
import { useAllocationRehearsal, useRehearseAllocation } from "../../api/allocation";
import { useCancelRehearsal } from "../../api/hooks";
import { count, parseNumber, percentText, rate, signed } from "../../lib/format";
import { CopyTable } from "../../parts/CopyTable";
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
    const numbers = lifts.map((text) => parseNumber(text));
    const d = parseNumber(drifts);
    if (numbers.some((n) => n === null || Number.isNaN(n)) || d === null || Number.isNaN(d)) {
      setWrong("Each lift, and the drift, must be a number such as 5");
      return;
    }
    setWrong("");
    begin.mutate({ lifts: numbers.map((n) => (n ?? 0) / 100), drift: d / 100, runs: 200, seed: 1 });
  };
  return (
    <Panel title="What it would bring" note="The plan run in simulation both ways, with the lifts you think possible.">
      {!experiment.plan ? (
        <p className="quiet text-sm">Say on Sizing what the level is today and how many come each day.</p>
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
              <input
                className="input input-sm w-24 text-right"
                inputMode="decimal"
                value={lifts[place] ?? ""}
                onChange={(event) => setTyped(lifts.map((text, i) => (i === place ? event.target.value : text)))}
              />
            </label>
          ))}
          <label className="text-sm">
            <span className="quiet block">All levels drift by %</span>
            <input
              className="input input-sm w-24 text-right"
              inputMode="decimal"
              value={drifts}
              onChange={(event) => setDrift(event.target.value)}
            />
          </label>
          {mayEdit && (
            <button className="btn btn-sm btn-primary" disabled={running || begin.isPending}>
              Rehearse both ways
            </button>
          )}
        </form>
      )}
      {running && <Running progress={rehearsal.progress} cancel={mayEdit ? () => cancel.mutate(rehearsal.id) : null} />}
      <p className="quiet mt-1 text-sm" role="status">
        {rehearsal?.state === "failed" && rehearsal.problem}
        {rehearsal?.state === "cancelled" && "Cancelled; nothing of it was kept."}
        {rehearsal?.state === "done" && rehearsal.stale && (
          <span className="tone-warning">Plan or policy have changed since; what is below is of those before.</span>
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

const part = (found: { share: number; error: number }) =>
  `${rate(found.share, 0)} ± ${Math.max(1, Math.round(found.error * 196))}`;
const bias = (found: Way["pooled_bias"]) =>
  found.estimate === null ? "–" : `${signed(found.estimate)} (${signed(found.low)} to ${signed(found.high)})`;

/** Line by line: what it is, with even shares, following the evidence. */
export function rehearsedLines(result: Result, metric: string): [string, string, string][] {
  const both = (tell: (way: Way) => string): [string, string] => [tell(result.even), tell(result.adaptive)];
  return [
    [`${metric} in ${result.days} days`, ...both((way) => count(way.total))],
    ["calls the best variant", ...both((way) => part(way.right))],
    ["calls one that is no better", ...both((way) => part(way.false))],
    ["calls none", ...both((way) => part(way.open))],
    [
      "days until it calls, half the time",
      ...both((way) => (way.median_days === null ? "over the plan" : String(Math.round(way.median_days)))),
    ],
    ["the best one leads at the end", ...both((way) => part(way.picked))],
    ["B’s lift is off by, all epochs put together", ...both((way) => bias(way.pooled_bias))],
    ["B’s lift is off by, read by epoch", ...both((way) => bias(way.stratified_bias))],
  ];
}

function Outcome({ rehearsal }: { rehearsal: AllocationRehearsal }) {
  const { experiment } = useEditing();
  const result = rehearsal.result;
  if (!result) return null;
  const lines = rehearsedLines(result, experiment.metric || "conversions");
  const heads: [string, string, string] = ["", "Even shares", "Following"];
  return (
    <>
      <p className="mt-2 font-serif text-lg leading-snug">{result.sentence}</p>
      <div className="overflow-x-auto">
        <table className="table table-sm mt-1">
          <thead>
            <tr>
              <th>
                <span className="sr-only">What</span>
              </th>
              <th className="text-right">Even shares</th>
              <th className="text-right">Following</th>
            </tr>
          </thead>
          <tbody>
            {lines.map(([what, even, following]) => (
              <tr key={what}>
                <td>{what}</td>
                <td className="text-right whitespace-nowrap">{even}</td>
                <td className="text-right whitespace-nowrap">{following}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <div className="quiet flex flex-wrap items-center gap-3 text-sm">
        <span>
          {count(rehearsal.runs)} runs each way, seed {rehearsal.seed}; ± 95%. Gained:{" "}
          {result.gained.estimate === null
            ? "–"
            : `${count(result.gained.estimate)} (${count(result.gained.low ?? 0)} to ${count(result.gained.high ?? 0)})`}
        </span>
        <CopyTable text={[heads, ...lines].map((line) => line.join("\t")).join("\n")} />
      </div>
    </>
  );
}
