import type { SecondCount } from "../../api/client";
import { useRemoveSecondCount } from "../../api/hooks";
import { count, day, percentText, signed } from "../../lib/format";
import { FormError, Panel } from "../../parts/basics";
import { DataTable, type Column } from "../../parts/DataTable";
import { Letter } from "../../parts/Letter";
import { TermMark } from "../../parts/Term";
import { useEditing } from "../editing";

interface Line {
  quantity: string;
  letter: string;
  first: number;
  second: number;
  difference: number | null;
  beyond: boolean;
  day: string;
}

/** The same experiment as other systems count it, beside the first count. */
export function SecondCountsPanel({ counts }: { counts: SecondCount[] }) {
  return counts.map((one) => <OfSource key={one.source} one={one} />);
}

function OfSource({ one }: { one: SecondCount }) {
  const { experiment, mayEdit } = useEditing();
  const remove = useRemoveSecondCount(experiment.key, one.source);
  const totals = one.quantities.flatMap((line) =>
    one.letters.map((letter, arm) => ({
      quantity: line.quantity,
      letter,
      first: line.first[arm] ?? 0,
      second: line.second[arm] ?? 0,
      difference: line.differences[arm] ?? null,
      beyond: line.beyond[arm] ?? false,
      day: "",
    })),
  );
  const byDay = one.days.flatMap((on, index) =>
    one.quantities.flatMap((line) =>
      one.letters.map((letter, arm) => {
        const [first = 0, second = 0] = [line.first_by_day[index]?.[arm], line.second_by_day[index]?.[arm]];
        const difference = first > 0 ? second / first - 1 : null;
        return { quantity: line.quantity, letter, first, second, difference, beyond: false, day: on };
      }),
    ),
  );
  const drifting = one.quantities.filter((line) => line.drifts);
  return (
    <Panel
      fold={`second-count-${one.source}`}
      title={`Second count: ${one.source}`}
      note={`${percentText(one.tolerance)}% difference tolerated, set beforehand; ${one.days.length} days in both`}
      action={
        mayEdit && (
          <button className="btn btn-xs" onClick={() => remove.mutate()} disabled={remove.isPending}>
            Remove
          </button>
        )
      }
    >
      <p className={`mb-2 ${one.same_verdict === false ? "tone-warning" : ""}`}>
        {one.sentence}
        <TermMark name="Second count" />
      </p>
      <DataTable
        label={`Second count by ${one.source}`}
        rows={totals}
        rowKey={(line) => `${line.quantity}-${line.letter}`}
        columns={COLUMNS}
      />
      {drifting.map((line) => (
        <p key={line.quantity} className="tone-warning mt-1 text-sm">
          The counts of {line.quantity} move apart: {signed(line.a_week)} a week.
        </p>
      ))}
      {one.causes.map((cause) => (
        <p key={cause} className="mt-1 text-sm">
          {cause}.
        </p>
      ))}
      <details className="mt-2 text-sm">
        <summary className="cursor-pointer">By day</summary>
        <div className="max-h-80 overflow-auto" tabIndex={0} aria-label={`Second count by ${one.source}, by day`}>
          <DataTable
            label={`Second count by ${one.source}, day by day`}
            rows={byDay}
            rowKey={(line) => `${line.day}-${line.quantity}-${line.letter}`}
            columns={[DAY, ...COLUMNS]}
          />
        </div>
      </details>
      <p className="mt-1 text-sm">
        <span className="quiet">Export:</span>{" "}
        {["csv", "parquet"].map((form) => (
          <a
            key={form}
            className="link mr-2"
            aria-label={`Second counts, ${form.toUpperCase()}`}
            href={`/api/v1/experiments/${experiment.key}/second-counts.${form}`}
            download
          >
            {form === "csv" ? "CSV" : "Parquet"}
          </a>
        ))}
      </p>
      <FormError error={remove.error} />
    </Panel>
  );
}

const DAY: Column<Line> = { name: "Day", align: "left", value: (line) => line.day, cell: (line) => day(line.day) };
const COLUMNS: Column<Line>[] = [
  { name: "Quantity", align: "left", hideable: false, value: (line) => line.quantity, cell: (line) => line.quantity },
  {
    name: "Variant",
    align: "left",
    value: (line) => line.letter,
    cell: (line) => <Letter letter={line.letter} />,
  },
  { name: "First count", value: (line) => line.first, cell: (line) => count(line.first) },
  { name: "Second count", value: (line) => line.second, cell: (line) => count(line.second) },
  {
    name: "Difference",
    value: (line) => line.difference,
    cell: (line) => (
      <span className={line.beyond ? "tone-warning font-semibold" : ""}>
        {line.difference === null ? "not in the first" : signed(line.difference)}
        {line.beyond && <span className="block text-xs">beyond</span>}
      </span>
    ),
  },
];
