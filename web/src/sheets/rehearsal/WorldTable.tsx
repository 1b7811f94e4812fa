import type { Rehearsal, World } from "../../api/client";
import { count, signed } from "../../lib/format";
import { DataTable, type Column } from "../../parts/DataTable";

type Share = World["right_winners"];
interface Line {
  label: string;
  note?: string;
  figure: (world: World) => string;
}

export function worldName(world: World): string {
  if (world.key === "none") return "No effect";
  return world.key === "worthwhile" ? `Worthwhile, ${signed(world.lift)}` : `Your own, ${signed(world.lift)}`;
}

function share(part: Share | undefined): string {
  return part ? part.text : "–";
}

const LINES: Line[] = [
  { label: "True winner", note: "power", figure: (w) => (w.lift === 0 ? "–" : share(w.right_winners)) },
  { label: "False winner", figure: (w) => share(w.false_winners) },
  { label: "Keep control", figure: (w) => share(w.verdicts.keep_control) },
  { label: "No worthwhile difference", figure: (w) => share(w.verdicts.no_worthwhile_difference) },
  { label: "Unresolved at the end", figure: (w) => share(w.verdicts.unresolved) },
  {
    label: "Days until the verdict or the end",
    note: "mean; 10th to 90th percentile",
    figure: (w) =>
      `${w.mean_days.toFixed(1)}; ${w.days_quantiles[0]?.toFixed(0)} to ${w.days_quantiles[2]?.toFixed(0)}`,
  },
  { label: "Units until then", note: "mean", figure: (w) => count(w.mean_units) },
  {
    label: "Observed lift of the winner",
    note: "median; 5th to 95th percentile",
    figure: (w) =>
      w.estimates[1] == null
        ? "–"
        : `${signed(w.estimates[1])}; ${signed(w.estimates[0])} to ${signed(w.estimates[2])}`,
  },
  {
    label: "Observed divided by true lift",
    note: "on average",
    figure: (w) => (w.exaggeration == null ? "–" : `${w.exaggeration.toFixed(2)} times`),
  },
  { label: "Without the rule: a winner by daily peeking", figure: (w) => share(w.peeking_winners) },
  { label: "Without the rule: a difference either way", figure: (w) => share(w.peeking_differences) },
];

/** How often each verdict comes, when, and how wrong: a column for each true lift. */
export function WorldTable({ rehearsal, metric, units }: { rehearsal: Rehearsal; metric: string; units: string }) {
  return (
    <DataTable
      label="Results, in figures"
      rows={LINES}
      rowKey={(line) => line.label}
      sortable={false}
      columns={[
        {
          name: "If the true lift of B is",
          align: "left",
          hideable: false,
          value: (line) => line.label,
          cell: (line) => (
            <>
              {line.label.replace("Units", `${units[0]?.toUpperCase() ?? ""}${units.slice(1)}`)}
              {line.note && <span className="quiet"> ({line.note})</span>}
            </>
          ),
        },
        ...rehearsal.worlds.map((world): Column<Line> => ({
          name: worldName(world),
          className: "whitespace-nowrap",
          value: (line) => line.figure(world),
          cell: (line) => line.figure(world),
        })),
      ]}
      below={<span>± is the error of simulating, 95 of 100 times. {metric && `The metric is ${metric}.`}</span>}
    />
  );
}
