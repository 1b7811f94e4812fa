import type { Rehearsal, World } from "../../api/client";
import { vocabulary, type QuestionWords } from "../../api/vocabulary";
import { count, signed } from "../../lib/format";
import { DataTable, type Column } from "../../parts/DataTable";

type Share = World["right_winners"];
interface Line {
  label: string;
  note?: string;
  figure: (world: World) => string;
}

const WORLDS: Record<string, string> = { worthwhile: "Worthwhile", margin: "At the margin", own: "Your own" };

export function worldName(world: World): string {
  return world.key === "none" ? "No effect" : `${WORLDS[world.key] ?? world.key}, ${signed(world.lift)}`;
}

function share(part: Share | undefined): string {
  return part ? part.text : "–";
}

/** How often the rule says what, by the question it asks; then when, how wrong, and what there would be without it. */
function linesOf(question: QuestionWords): Line[] {
  const [right, wrong] = question.about_zero ? ["True winner", "False winner"] : ["Yes, rightly", "Yes, wrongly"];
  const others = vocabulary.verdicts.filter(
    ({ name, rehearsed }) =>
      rehearsed && question.verdicts.includes(name) && !(question.about_zero && name === "winner"),
  );
  return [
    {
      label: right,
      note: "power",
      figure: (w) => (question.about_zero && w.lift === 0 ? "–" : share(w.right_winners)),
    },
    { label: wrong, figure: (w) => share(w.false_winners) },
    ...others.map(({ name, title }): Line => ({ label: title, figure: (w) => share(w.verdicts[name]) })),
    ...LINES,
    ...(question.about_zero ? OF_WINNERS : []),
  ];
}

const LINES: Line[] = [
  {
    label: "Days until the verdict or the end",
    note: "mean; 10th to 90th percentile",
    figure: (w) =>
      `${w.mean_days.toFixed(1)}; ${w.days_quantiles[0]?.toFixed(0)} to ${w.days_quantiles[2]?.toFixed(0)}`,
  },
  { label: "Units until then", note: "mean", figure: (w) => count(w.mean_units) },
  {
    label: "Observed lift of the variant named",
    note: "median; 5th to 95th percentile",
    figure: (w) =>
      w.estimates[1] == null
        ? "–"
        : `${signed(w.estimates[1])}; ${signed(w.estimates[0])} to ${signed(w.estimates[2])}`,
  },
];

/** What is said of winners only. */
const OF_WINNERS: Line[] = [
  {
    label: "Observed divided by true lift",
    note: "on average",
    figure: (w) => (w.exaggeration == null ? "–" : `${w.exaggeration.toFixed(2)} times`),
  },
  { label: "Without the rule: a winner by daily peeking", figure: (w) => share(w.peeking_winners) },
  { label: "Without the rule: a difference either way", figure: (w) => share(w.peeking_differences) },
];

/** How often each verdict comes, when, and how wrong: a column for each true lift. */
export function WorldTable({
  rehearsal,
  metric,
  units,
  question,
}: {
  rehearsal: Rehearsal;
  metric: string;
  units: string;
  question: QuestionWords;
}) {
  return (
    <DataTable
      label="Results, in figures"
      rows={linesOf(question)}
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
