import type { Interval, Spend, Reading } from "../../api/client";
import { bounds, count } from "../../lib/format";
import { tableText } from "../../lib/tableText";
import { Panel } from "../../parts/basics";
import { CopyTable } from "../../parts/CopyTable";
import { Letter } from "../../parts/Letter";
import { useEditing } from "../editing";
import { Figured } from "./Working";

/** Cost of a conversion and what a thousand impressions bring, where cost and impressions are known in sums. */
export function SpendPanel({ spend, reading }: { spend: Spend; reading: Reading }) {
  const costs = spend.arms.some((arm) => arm.cost > 0);
  const impressions = spend.arms.some((arm) => arm.impressions > 0);
  const each = reading.kind === "rate" ? "a conversion" : `one of ${spend.metric}`;
  return (
    <Panel
      title="Cost and impressions"
      note="billed and shown as sums; the intervals are the metric’s"
      action={<CopyTable text={asText(spend)} />}
    >
      <div className="overflow-x-auto" tabIndex={0} aria-label="Cost and impressions, in figures">
        <table className="w-full text-right text-sm">
          <thead className="quiet text-xs">
            <tr className="border-b border-base-300">
              <th className="py-1 text-left font-normal">Variant</th>
              {costs && <th className="pl-2 font-normal">Cost</th>}
              {costs && <th className="pl-2 font-normal">Cost of {each}</th>}
              {costs && <th className="pl-2 font-normal">against A</th>}
              {impressions && <th className="pl-2 font-normal">Impressions</th>}
              {impressions && <th className="pl-2 font-normal">A thousand impressions bring</th>}
              {impressions && <th className="pl-2 font-normal">against A</th>}
            </tr>
          </thead>
          <tbody>
            {spend.arms.map((arm) => (
              <tr key={arm.letter} className="border-b border-base-300 last:border-b-0">
                <td className="py-1.5 text-left">
                  <Letter letter={arm.letter} />
                </td>
                {costs && <td className="pl-2">{count(arm.cost)}</td>}
                {costs && (
                  <Figure letter={arm.letter} figure="cost_each" label={`Cost of ${each}`} value={arm.cost_each} />
                )}
                {costs && <Change letter={arm.letter} figure="cost_lift" lift={arm.cost_lift} />}
                {impressions && <td className="pl-2">{count(arm.impressions)}</td>}
                {impressions && (
                  <Figure
                    letter={arm.letter}
                    figure="per_thousand"
                    label="A thousand impressions bring"
                    value={arm.per_thousand}
                  />
                )}
                {impressions && <Change letter={arm.letter} figure="impressions_lift" lift={arm.impressions_lift} />}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <p className="quiet mt-1 text-xs">
        Less is better for the cost, more for what impressions bring. What was billed and shown is taken as known; the
        chance is all in the metric.
      </p>
    </Panel>
  );
}

function written(value: number | null): string {
  if (value === null) return "no limit";
  return value.toLocaleString("en-GB", { minimumSignificantDigits: 3, maximumSignificantDigits: 4 });
}

interface FigureProps {
  letter: string;
  figure: "cost_each" | "per_thousand";
  label: string;
  value: Interval;
}

function Figure({ letter, figure, label, value }: FigureProps) {
  const { experiment } = useEditing();
  return (
    <td className="pl-2 whitespace-nowrap">
      {value.estimate === null ? (
        "–"
      ) : (
        <Figured experiment={experiment.key} figure={figure} variant={letter} label={`${label}, ${letter}`}>
          {written(value.estimate)}
        </Figured>
      )}
      <span className="quiet block text-xs">
        {value.estimate === null ? "" : `${written(value.low)} to ${written(value.high)}`}
      </span>
    </td>
  );
}

interface ChangeProps {
  letter: string;
  figure: "cost_lift" | "impressions_lift";
  lift: Interval | null;
}

function Change({ letter, figure, lift }: ChangeProps) {
  const { experiment } = useEditing();
  const label = `${figure === "cost_lift" ? "Cost" : "What impressions bring"}, ${letter} against A`;
  return (
    <td className="pl-2 whitespace-nowrap">
      {lift && (
        <Figured experiment={experiment.key} figure={figure} variant={letter} label={label}>
          {lift.estimate_text}
        </Figured>
      )}
      <span className="quiet block text-xs">{lift ? bounds(lift) : ""}</span>
    </td>
  );
}

function asText(spend: Spend): string {
  return tableText(
    ["variant", "cost", "cost each", "cost each low", "cost each high", "impressions", "per thousand", "low", "high"],
    spend.arms.map((arm) =>
      [
        arm.letter,
        arm.cost,
        arm.cost_each.estimate,
        arm.cost_each.low,
        arm.cost_each.high,
        arm.impressions,
        arm.per_thousand.estimate,
        arm.per_thousand.low,
        arm.per_thousand.high,
      ].map((cell) => cell ?? ""),
    ),
  );
}
