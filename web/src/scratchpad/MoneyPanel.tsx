import type { Judged } from "../api/client";
import { bounds, count, signed } from "../lib/format";
import { Panel } from "../parts/basics";
import { DataTable, type Column } from "../parts/DataTable";
import { Letter } from "../parts/Letter";

type Line = Judged["money"][number];

function written(value: number | null | undefined): string {
  if (value == null) return "no limit";
  return value.toLocaleString("en-GB", { minimumSignificantDigits: 3, maximumSignificantDigits: 4 });
}

/** Cost, impressions and amounts beside the counts; what has no interval has none, because single amounts are not known. */
export function MoneyPanel({ money }: { money: Line[] }) {
  if (money.length === 0) return null;
  const has = (given: (line: Line) => unknown) => money.some(given);
  const columns: Column<Line>[] = [
    {
      name: "Variant",
      align: "left",
      hideable: false,
      value: ({ spend }) => spend.letter,
      cell: ({ spend }) => <Letter letter={spend.letter} />,
    },
  ];
  if (has(({ spend }) => spend.cost)) {
    columns.push(
      { name: "Cost", value: ({ spend }) => spend.cost, cell: ({ spend }) => count(spend.cost) },
      {
        name: "Cost of a conversion",
        value: ({ spend }) => spend.cost_each.estimate,
        cell: ({ spend }) => (
          <>
            {written(spend.cost_each.estimate)}
            <span className="quiet block text-xs">
              {written(spend.cost_each.low)} to {written(spend.cost_each.high)}
            </span>
          </>
        ),
      },
      {
        name: "Cost against A",
        head: "against A",
        value: ({ spend }) => spend.cost_lift?.estimate,
        cell: ({ spend }) =>
          spend.cost_lift ? (
            <>
              <b>{signed(spend.cost_lift.estimate)}</b>
              <span className="quiet block text-xs">{bounds(spend.cost_lift)}</span>
            </>
          ) : (
            ""
          ),
      },
    );
  }
  if (has(({ spend }) => spend.impressions)) {
    columns.push({
      name: "A thousand impressions bring",
      value: ({ spend }) => spend.per_thousand.estimate,
      cell: ({ spend }) => written(spend.per_thousand.estimate),
    });
  }
  if (has(({ amount }) => amount != null)) {
    columns.push({
      name: "Amount of a unit",
      value: ({ amount_each }) => amount_each,
      cell: ({ amount_each }) => written(amount_each),
    });
  }
  if (has(({ return_on_spend }) => return_on_spend != null)) {
    columns.push({
      name: "Return on spend",
      value: ({ return_on_spend }) => return_on_spend,
      cell: ({ return_on_spend }) => written(return_on_spend),
    });
  }
  return (
    <Panel title="Cost and amounts" note="count model: spend taken as known">
      <DataTable label="Cost and amounts" rows={money} rowKey={({ spend }) => spend.letter} columns={columns} />
      <p className="quiet mt-1 text-xs">
        Intervals are those of the conversions, turned. Of amounts only the total is typed here: how sure they are takes
        totals by day, or a file of units.
      </p>
    </Panel>
  );
}
