import type { Rehearsal, World } from "../../api/client";
import { count, signed } from "../../lib/format";
import { CopyTable } from "../../parts/CopyTable";

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
  return part ? `${(part.share * 100).toFixed(1)}% ±${(part.error * 196).toFixed(1)}` : "–";
}

const LINES: Line[] = [
  { label: "Winner, rightly", note: "power", figure: (w) => (w.lift === 0 ? "–" : share(w.right_winners)) },
  { label: "Winner, wrongly", figure: (w) => share(w.false_winners) },
  { label: "Keep control", figure: (w) => share(w.verdicts.keep_control) },
  { label: "No worthwhile difference", figure: (w) => share(w.verdicts.no_worthwhile_difference) },
  { label: "Unresolved at the end", figure: (w) => share(w.verdicts.unresolved) },
  {
    label: "Days until the verdict or the end",
    note: "mean; 10 to 90 of 100",
    figure: (w) =>
      `${w.mean_days.toFixed(1)}; ${w.days_quantiles[0]?.toFixed(0)} to ${w.days_quantiles[2]?.toFixed(0)}`,
  },
  { label: "Units until then", note: "mean", figure: (w) => count(w.mean_units) },
  {
    label: "The winner’s lift as seen",
    note: "middle; 5 to 95 of 100",
    figure: (w) =>
      w.estimates[1] == null
        ? "–"
        : `${signed(w.estimates[1])}; ${signed(w.estimates[0])} to ${signed(w.estimates[2])}`,
  },
  {
    label: "That is, of the truth",
    note: "on average",
    figure: (w) => (w.exaggeration == null ? "–" : `${w.exaggeration.toFixed(2)} times`),
  },
  { label: "Without the rule: a winner by looking daily", figure: (w) => share(w.peeking_winners) },
  { label: "Without the rule: a difference either way", figure: (w) => share(w.peeking_differences) },
];

/** How often each verdict comes, when, and how wrong: a column for each true lift. */
export function WorldTable({ rehearsal, metric, units }: { rehearsal: Rehearsal; metric: string; units: string }) {
  const { worlds } = rehearsal;
  const header = ["", ...worlds.map(worldName)];
  const rows = LINES.map((line) => [line.label, ...worlds.map(line.figure)]);
  return (
    <>
      <div className="overflow-x-auto" tabIndex={0} aria-label="What would come of it, in figures">
        <table className="table table-sm">
          <thead>
            <tr>
              <th>If the true lift of B is</th>
              {worlds.map((world) => (
                <th key={world.key} className="text-right">
                  {worldName(world)}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {LINES.map((line) => (
              <tr key={line.label}>
                <th scope="row" className="font-normal">
                  {line.label.replace("Units", `${units[0]?.toUpperCase() ?? ""}${units.slice(1)}`)}
                  {line.note && <span className="quiet"> ({line.note})</span>}
                </th>
                {worlds.map((world) => (
                  <td key={world.key} className="text-right whitespace-nowrap">
                    {line.figure(world)}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <div className="mt-1 flex items-center gap-3">
        <p className="quiet text-sm">
          ± is the error of simulating, 95 of 100 times. {metric && `The metric is ${metric}.`}
        </p>
        <span className="ml-auto">
          <CopyTable text={[header, ...rows].map((cells) => cells.join("\t")).join("\n")} />
        </span>
      </div>
    </>
  );
}
