import type { AATest as Test } from "../api/client";
import { useAATest, useCancelAATest, useSession, useStartAATest } from "../api/hooks";
import { count, day, percentText } from "../lib/format";
import { Failure, FormError, Panel, Skeleton } from "../parts/basics";
import { Running } from "../parts/Running";
import { Term } from "../parts/Term";

const SPLITS = 1000;

interface Props {
  metric: string;
  /** Of control and the smallest variant, in any unit. */
  shares?: [number, number];
  confidence?: number;
}

/** A metric tried on the workspace's own past units: split at random again and again, where nothing differs. */
export function AATest({ metric, shares = [1, 1], confidence = 0.95 }: Props) {
  const latest = useAATest(metric);
  const start = useStartAATest(metric);
  const cancel = useCancelAATest(metric);
  const mayEdit = useSession().data?.account?.may_edit ?? false;
  if (latest.isPending) return <Skeleton rows={2} />;
  if (latest.data === undefined) return <Failure error={latest.error} again={() => void latest.refetch()} />;
  const { test, enough, min_units } = latest.data;
  const running = test?.state === "running";
  const begin = () => start.mutate({ shares, confidence, splits: SPLITS, seed: (test?.seed ?? 0) + 1 });
  return (
    <Panel fold="past-units" title="On your own past units" note={<Term name="A/A test" />}>
      {!enough && !test && (
        <p className="quiet text-sm">
          Past units are known one by one once an experiment that counts this metric takes events; {min_units} are
          needed. They are then split at random {count(SPLITS)} times, to see whether the metric raises false alarms.
        </p>
      )}
      {test?.result && <Outcome test={test} />}
      {running && (
        <Running progress={test.progress} cancel={mayEdit ? () => cancel.mutate(test.id) : null} label="A/A test" />
      )}
      <p className="quiet mt-1 text-sm" role="status">
        {running && "It continues in the background."}
        {test?.state === "cancelled" && "Cancelled; no results were kept."}
        {test?.state === "failed" && test.problem}
        {test?.state === "done" && sharesText(test.shares) !== sharesText(shares) && (
          <>
            That was at {sharesText(test.shares)}; this test is planned at {sharesText(shares)}.
          </>
        )}
      </p>
      <FormError error={start.error ?? cancel.error} />
      {mayEdit && enough && (
        <button type="button" className="btn btn-sm mt-1" disabled={running || start.isPending} onClick={begin}>
          Split past units {count(SPLITS)} times at {sharesText(shares)}
        </button>
      )}
    </Panel>
  );
}

function Outcome({ test }: { test: Test }) {
  const result = test.result;
  if (!result) return null;
  const lines = [
    ["Called higher", result.higher.text, `${percentText(result.promised)}% promised`],
    ["Called lower", result.lower.text, `${percentText(result.promised)}% promised`],
    ["Interval holds no difference", result.held.text, `${percentText(1 - 2 * result.promised)}% promised`],
    ["Had to wait", result.waits.text, "too skewed to be judged"],
  ] as const;
  return (
    <div className="text-sm">
      <p className={result.as_promised ? "" : "tone-warning"}>{result.sentence}</p>
      <table className="table table-xs mt-1">
        <caption className="sr-only">What was found, and what is promised</caption>
        <tbody>
          {lines.map(([name, found, promised]) => (
            <tr key={name}>
              <th scope="row" className="font-normal">
                {name}
              </th>
              <td className="text-right font-semibold">{found}</td>
              <td className="quiet">{promised}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="quiet mt-1">
        {day(test.at)}, {test.by}; {count(test.splits)} splits at {sharesText(test.shares)}, seed {test.seed}.
      </p>
    </div>
  );
}

function sharesText(shares: readonly number[]): string {
  const whole = shares.reduce((sum, share) => sum + share, 0);
  return shares.map((share) => Math.round((100 * share) / whole)).join("/");
}
