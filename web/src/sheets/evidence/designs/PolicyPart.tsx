import type { Adaptive, Reading } from "../../../api/client";
import { copiedLift, stripColumn } from "../../../charts/stripColumn";
import { sharedAxis } from "../../../lib/axis";
import { bounds, chanceText, count, rate } from "../../../lib/format";
import { figuresOf } from "../../../lib/metrics";
import { useWidth } from "../../../lib/useWidth";
import { DataTable, type Column } from "../../../parts/DataTable";
import { Letter } from "../../../parts/Letter";
import { Term } from "../../../parts/Term";
import { Figured } from "../DerivationCard";

type Policy = NonNullable<Adaptive["policy"]>;
type Line = Policy["lines"][number];
type Choice = Policy["choices"][number];

interface Props {
  policy: Policy;
  reading: Reading;
  experiment: string;
}

/** What sharing out by several properties is worth, read from the uniform share, and what looks best in each combination. */
export function PolicyPart({ policy, reading, experiment }: Props) {
  const [holder, width] = useWidth(600);
  return (
    <section ref={holder} className="mt-4 border-t border-base-300 pt-2" aria-label="The policy against control">
      <h3 className="font-semibold">
        The <Term name="Policy">policy</Term> against control
      </h3>
      <ul className="mb-2">
        {policy.sentences.map((sentence) => (
          <li key={sentence}>{sentence}</li>
        ))}
      </ul>
      {policy.enough && <Lifts policy={policy} reading={reading} experiment={experiment} wide={width >= 620} />}
      <Choices policy={policy} reading={reading} />
    </section>
  );
}

function Lifts({ policy, reading, experiment, wide }: Props & { wide: boolean }) {
  const figures = figuresOf(
    reading,
    policy.lines.flatMap((line) => [line.level, line.over_level]),
  );
  const axis = sharedAxis(
    policy.lines.map((line) => line.lift),
    reading.worthwhile_lift,
    wide ? 4 : 2,
  );
  const way = (line: Line) => (line.way === "policy" ? "The policy, as it ran" : "Each combination its best");
  const over = (line: Line) => `${line.over === "best" ? policy.best : "A"} for everybody`;
  return (
    <DataTable
      label="Ways to give variants out"
      rows={policy.lines}
      rowKey={(line) => `${line.way} ${line.over}`}
      sortable={false}
      columns={[
        {
          name: "Way",
          align: "left",
          hideable: false,
          value: way,
          copied: [
            ["way", way],
            ["over", over],
          ],
          cell: (line) => (
            <>
              {way(line)} <span className="quiet block text-xs">over {over(line)}</span>
            </>
          ),
        },
        {
          name: figures.levelHead,
          value: (line) => line.level,
          copied: [
            ["level", (line) => line.level],
            ["level over which", (line) => line.over_level],
          ],
          cell: (line) => (
            <>
              {figures.level(line.level)}
              <span className="quiet block text-xs">{figures.level(line.over_level)}</span>
            </>
          ),
        },
        {
          name: "Lift",
          value: (line) => line.lift.estimate,
          copied: copiedLift((line: Line) => line.lift),
          className: "whitespace-nowrap",
          cell: (line) => (
            <>
              <Figured
                experiment={experiment}
                figure="policy"
                variant="B"
                label={`Lift: ${way(line)} over ${over(line)}`}
              >
                <span className="font-semibold">{line.lift.estimate_text}</span>
              </Figured>
              <span className="quiet block text-xs">{bounds(line.lift)}</span>
            </>
          ),
        },
        stripColumn(axis, wide ? 240 : 96, (line: Line) => ({
          lift: line.lift,
          tone: reading.readable ? line.tone : "open",
          worthwhile: reading.worthwhile_lift,
          sentence: `${way(line)} over ${over(line)}: ${line.lift.estimate_text}, ${bounds(line.lift)}`,
        })),
      ]}
      below={
        <p className="quiet text-sm">
          Read from the {count(policy.units)} of the <Term name="Uniform share">uniform share</Term>; the lifts share
          the level. From all {reading.unit_name}, each weighing the inverse of its chance to see what it saw, the
          policy brings {policy.from_all.estimate_text} ({bounds(policy.from_all)});{" "}
          {policy.clipped ? `${count(policy.clipped)} weights were` : "no weight was"} clipped at {policy.max_weight}.
        </p>
      }
    />
  );
}

function Choices({ policy, reading }: Pick<Props, "policy" | "reading">) {
  if (policy.choices.length === 0) return null;
  const name = (letter: string) => reading.arms.find((arm) => arm.letter === letter)?.name ?? "";
  const columns: Column<Choice>[] = [
    {
      name: "Combination",
      align: "left",
      hideable: false,
      value: (one) => one.combination,
      cell: (one) => one.combination,
    },
    {
      name: "Looks best",
      align: "left",
      value: (one) => one.letter,
      cell: (one) => (
        <>
          <Letter letter={one.letter} /> {name(one.letter)}
        </>
      ),
    },
    {
      name: "Probability to be best",
      term: "Probability to be best",
      value: (one) => one.chance,
      cell: (one) => chanceText(one.chance),
    },
    { name: "Learned from", value: (one) => one.units, cell: (one) => count(one.units) },
    {
      name: "Part",
      responsive: "max-sm:hidden",
      value: (one) => one.units / total(policy),
      cell: (one) => rate(one.units / total(policy), 0),
    },
  ];
  return (
    <details className="mt-2" open={policy.choices.length <= 12}>
      <summary className="cursor-pointer text-sm">By combination ({count(policy.choices.length)})</summary>
      <DataTable
        label="What looks best in each combination"
        rows={policy.choices}
        rowKey={(one) => one.combination}
        columns={columns}
        maxHeight="24rem"
      />
    </details>
  );
}

function total(policy: Policy): number {
  return Math.max(
    1,
    policy.choices.reduce((sum, one) => sum + one.units, 0),
  );
}
