import type { Interval, Reading, Spend } from "../../api/client";
import { count } from "../../lib/format";
import { Panel } from "../../parts/basics";
import { DataTable, type Column } from "../../parts/DataTable";
import { Letter } from "../../parts/Letter";
import { useEditing } from "../editing";
import { Figured } from "./DerivationCard";
import { LiftFigure } from "./LiftFigure";

type Arm = Spend["arms"][number];

/** Cost of a conversion and what a thousand impressions bring, where cost and impressions are known in sums. */
export function SpendPanel({ spend, reading }: { spend: Spend; reading: Reading }) {
  const { experiment } = useEditing();
  const each = reading.kind === "rate" ? "a conversion" : `one of ${spend.metric}`;
  const columns = [
    VARIANT,
    ...(spend.arms.some((arm) => arm.cost > 0) ? costColumns(experiment.key, each) : []),
    ...(spend.arms.some((arm) => arm.impressions > 0) ? impressionColumns(experiment.key) : []),
  ];
  return (
    <Panel
      fold="spend"
      title="Spend and impressions"
      note={`count model: spend taken as known; amounts in ${spend.currency}`}
    >
      <DataTable
        label="Spend and impressions, in figures"
        rows={spend.arms}
        rowKey={(arm) => arm.letter}
        columns={columns}
      />
      <p className="quiet mt-1 text-xs">
        Less is better for the cost, more for what impressions bring. Spend and impressions are taken as known; the
        chance is all in the metric. Where clicks of one day cost more than those of another, a metric made of totals,
        read by its days, says how sure the cost is.
      </p>
    </Panel>
  );
}

const VARIANT: Column<Arm> = {
  name: "Variant",
  align: "left",
  hideable: false,
  value: (arm) => arm.letter,
  cell: (arm) => <Letter letter={arm.letter} />,
};

function costColumns(experiment: string, each: string): Column<Arm>[] {
  return [
    { name: "Cost", value: (arm) => arm.cost, cell: (arm) => count(arm.cost) },
    {
      name: `Cost of ${each}`,
      className: "whitespace-nowrap",
      value: (arm) => arm.cost_each.estimate,
      copied: [
        ["cost each", (arm) => arm.cost_each.estimate],
        ["cost each low", (arm) => arm.cost_each.low],
        ["cost each high", (arm) => arm.cost_each.high],
      ],
      cell: (arm) => (
        <Amount
          experiment={experiment}
          letter={arm.letter}
          figure="cost_each"
          label={`Cost of ${each}`}
          value={arm.cost_each}
        />
      ),
    },
    {
      name: "Cost against A",
      head: "against A",
      className: "whitespace-nowrap",
      value: (arm) => arm.cost_lift?.estimate,
      cell: (arm) => (
        <LiftFigure
          experiment={experiment}
          lift={arm.cost_lift}
          figure="cost_lift"
          variant={arm.letter}
          label={`Cost, ${arm.letter} against A`}
          missing=""
        />
      ),
    },
  ];
}

function impressionColumns(experiment: string): Column<Arm>[] {
  return [
    { name: "Impressions", value: (arm) => arm.impressions, cell: (arm) => count(arm.impressions) },
    {
      name: "A thousand impressions bring",
      className: "whitespace-nowrap",
      value: (arm) => arm.per_thousand.estimate,
      copied: [
        ["per thousand", (arm) => arm.per_thousand.estimate],
        ["low", (arm) => arm.per_thousand.low],
        ["high", (arm) => arm.per_thousand.high],
      ],
      cell: (arm) => (
        <Amount
          experiment={experiment}
          letter={arm.letter}
          figure="per_thousand"
          label="A thousand impressions bring"
          value={arm.per_thousand}
        />
      ),
    },
    {
      name: "Impressions against A",
      head: "against A",
      className: "whitespace-nowrap",
      value: (arm) => arm.impressions_lift?.estimate,
      cell: (arm) => (
        <LiftFigure
          experiment={experiment}
          lift={arm.impressions_lift}
          figure="impressions_lift"
          variant={arm.letter}
          label={`What impressions bring, ${arm.letter} against A`}
          missing=""
        />
      ),
    },
  ];
}

function written(value: number | null): string {
  if (value === null) return "no limit";
  return value.toLocaleString("en-GB", { minimumSignificantDigits: 3, maximumSignificantDigits: 4 });
}

interface AmountProps {
  experiment: string;
  letter: string;
  figure: "cost_each" | "per_thousand";
  label: string;
  value: Interval;
}

function Amount({ experiment, letter, figure, label, value }: AmountProps) {
  if (value.estimate === null) return "–";
  return (
    <>
      <Figured experiment={experiment} figure={figure} variant={letter} label={`${label}, ${letter}`}>
        {written(value.estimate)}
      </Figured>
      <span className="quiet block text-xs">
        {written(value.low)} to {written(value.high)}
      </span>
    </>
  );
}
