import type { Handover } from "../../api/client";
import { copiedLift, stripColumn } from "../../charts/stripColumn";
import { sharedAxis } from "../../lib/axis";
import { bounds, count, day } from "../../lib/format";
import { useWidth } from "../../lib/useWidth";
import { DataTable } from "../../parts/DataTable";
import { useEditing } from "../editing";

type Result = NonNullable<Handover["result"]>;
type Line = Result["metrics"][number]["lines"][number] & { metric: string; key: string };

/** What the rollout brings: those it reaches against those held out, metric by metric, over all lines and line by line. */
export function RolloutResult({ result }: { result: Result }) {
  const { experiment } = useEditing();
  const [holder, width] = useWidth(600);
  const strip = width >= 620 ? 220 : 110;
  const rows: Line[] = result.metrics.flatMap(({ metric, key, lines }) =>
    lines.map((line) => ({ ...line, metric, key })),
  );
  const axis = sharedAxis(
    rows.map((row) => row.lift),
    experiment.worthwhile_lift,
  );
  return (
    <div ref={holder} className="mt-3 border-t border-base-300 pt-2">
      <h3 className="font-semibold">What it brings, since {day(result.since)}</h3>
      <p className={`mb-1 text-sm ${result.sound ? "" : "tone-warning"}`}>{result.sentence}</p>
      {rows.some((row) => row.name) && (
        <p className="quiet mb-1 text-sm">
          Lines share the level, so that their intervals hold together. Secondary metrics are exploratory.
        </p>
      )}
      <DataTable
        label="What the rollout brings"
        rows={rows}
        rowKey={(row) => `${row.key} ${row.name}`}
        sortable={false}
        columns={[
          {
            name: "Metric",
            align: "left",
            hideable: false,
            value: (row) => row.metric,
            copied: [
              ["metric", (row) => row.metric],
              ["line", (row) => row.name || "all"],
            ],
            cell: (row) => (row.name ? <span className="quiet pl-3">{row.name}</span> : row.metric),
          },
          {
            name: "Held out",
            value: (row) => row.held_out,
            copied: [["held out, units", (row) => row.held_out]],
            cell: (row) => (
              <>
                {row.held_out_text} <span className="quiet">of {count(row.held_out)}</span>
              </>
            ),
          },
          {
            name: "Reached",
            value: (row) => row.reached,
            copied: [["reached, units", (row) => row.reached]],
            cell: (row) => (
              <>
                {row.reached_text} <span className="quiet">of {count(row.reached)}</span>
              </>
            ),
          },
          {
            name: "Lift",
            value: (row) => row.lift?.estimate ?? null,
            copied: copiedLift((row: Line) => row.lift),
            cell: (row) =>
              row.lift ? (
                <>
                  <b>{row.lift.estimate_text}</b> <span className="quiet">{bounds(row.lift)}</span>
                </>
              ) : (
                <span className="quiet">too little</span>
              ),
          },
          stripColumn(axis, strip, (row: Line) =>
            row.lift
              ? {
                  lift: row.lift,
                  tone: row.tone,
                  worthwhile: experiment.worthwhile_lift,
                  sentence: `${row.metric}${row.name ? `, ${row.name}` : ""}: ${row.lift.estimate_text}, ${bounds(row.lift)}`,
                }
              : null,
          ),
        ]}
        below={
          <p className="quiet text-sm">
            Export:{" "}
            {(["csv", "parquet"] as const).map((form) => (
              <a
                key={form}
                className="link mr-2"
                href={`/api/v1/experiments/${experiment.key}/rollout.${form}`}
                download
              >
                {form === "csv" ? "CSV" : "Parquet"}
              </a>
            ))}
          </p>
        }
      />
    </div>
  );
}
