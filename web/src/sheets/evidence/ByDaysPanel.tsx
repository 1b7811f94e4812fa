import type { Evidence } from "../../api/client";
import { Panel } from "../../parts/basics";
import { TermMark } from "../../parts/Term";

/** What it costs that of some metrics only totals by day are known, and where days are no replicates of their own. */
export function ByDaysPanel({ lines }: { lines: Evidence["by_days"] }) {
  if (!lines?.length) return null;
  return (
    <Panel fold="by-days" title="Read by days" note="metrics of which only totals are known">
      {lines.map((line) => (
        <div key={line.metric} className="py-1 text-sm">
          <p>
            <b>{line.metric_name}</b>
            <TermMark name="Totals by day" />: {line.sentence}
          </p>
          {line.warnings.map((warning) => (
            <p key={warning} className="tone-warning">
              {warning}
            </p>
          ))}
        </div>
      ))}
    </Panel>
  );
}
