import { LETTERS } from "../../api/vocabulary";
import { useState } from "react";
import { count, percentText, plural, rate } from "../../lib/format";
import { fromCanonical } from "../../lib/numbers";
import { NumberInput } from "../../parts/NumberInput";
import { Letter } from "../../parts/Letter";
import { Panel } from "../../parts/basics";
import { variantsIn } from "../../api/edits";
import { useEditing } from "../editing";

/** The shares of the variants, as weights or as percentages, with what an uneven split costs. */
export function Split() {
  const { experiment, save, mayEdit, locked, error } = useEditing();
  const [percentages, setPercentages] = useState(false);
  const fixed = locked || !mayEdit;
  const variants = variantsIn(experiment);
  const weights = variants.map((variant) => variant.weight ?? 1);
  const total = weights.reduce((sum, weight) => sum + weight, 0);
  const even = new Set(weights).size === 1;
  const setAll = (wanted: number[]) =>
    save((latest) => ({
      variants: variantsIn(latest).map((variant, index) => ({ ...variant, weight: wanted[index] ?? 1 })),
    }));
  const weeks = experiment.plan?.what_if.find((line) => line.name === "even_split")?.weeks;
  return (
    <Panel
      title="Split"
      note={percentages ? "in percentages that add up to 100" : "by weights: 50 and 50, or 2 : 3 : 1"}
      action={
        !fixed && (
          <span className="flex gap-2">
            {!even && (
              <button className="btn btn-xs" onClick={() => setAll(weights.map(() => 1))}>
                Make it even
              </button>
            )}
            <button className="btn btn-xs" onClick={() => setPercentages(!percentages)}>
              {percentages ? "By weights" : "By percentages"}
            </button>
          </span>
        )
      }
    >
      <div className="overflow-auto">
        <table className="table table-sm">
          <thead>
            <tr>
              <th>Variant</th>
              {!percentages && <th className="text-right">Weight</th>}
              <th className="text-right">Share</th>
              <th className="text-right">{experiment.unit_name} a day</th>
              <th className="text-right">{experiment.unit_name} needed</th>
            </tr>
          </thead>
          <tbody>
            {variants.map((variant, index) => (
              <tr key={index}>
                <td>
                  <span className="flex items-center gap-2">
                    <Letter letter={LETTERS[index] ?? ""} />
                    <bdi>{variant.name}</bdi>
                  </span>
                </td>
                {!percentages && (
                  <td className="text-right">
                    <Weight
                      value={weights[index] ?? 1}
                      label={`Weight of ${LETTERS[index]}`}
                      locked={fixed}
                      save={(weight) => setAll(weights.map((before, i) => (i === index ? weight : before)))}
                    />
                  </td>
                )}
                <td className="text-right">{rate((weights[index] ?? 1) / total, 1)}</td>
                <td className="text-right">
                  {experiment.plan ? count((experiment.plan.units_per_day * (weights[index] ?? 1)) / total) : "–"}
                </td>
                <td className="text-right">{experiment.plan ? count(experiment.plan.per_arm[index] ?? 0) : "–"}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {percentages && !fixed && <Percentages weights={weights} save={setAll} />}
      {error && <p className="text-sm text-error">{error.message}</p>}
      {!even && experiment.plan && weeks != null && (
        <p className="tone-warning mt-2 text-sm">
          An uneven split takes {plural(experiment.plan.weeks, "week")}; an even one {plural(weeks, "week")}.
        </p>
      )}
    </Panel>
  );
}

interface PercentagesProps {
  weights: number[];
  save: (weights: number[]) => void;
}

/** A field a variant; nothing is saved until they add up. */
function Percentages({ weights, save }: PercentagesProps) {
  const total = weights.reduce((sum, weight) => sum + weight, 0);
  const present = weights.map((weight) => percentText(Number((weight / total).toFixed(4))));
  const [typed, setTyped] = useState(present);
  const numbers = typed.map(fromCanonical);
  const known = numbers.every((number): number is number => number !== null && number > 0);
  const sum = known ? numbers.reduce((a, b) => a + b, 0) : NaN;
  const whole = Math.abs(sum - 100) < 0.011;
  return (
    <form
      className="mt-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (known && whole) save(numbers);
      }}
    >
      <div className="flex flex-wrap items-center gap-3">
        {typed.map((text, index) => (
          <label key={index} className="flex items-center gap-1">
            {LETTERS[index]}
            <NumberInput
              className="input-xs w-20"
              aria-label={`Percentage of ${LETTERS[index]}`}
              value={text}
              change={(next) => setTyped(typed.map((before, i) => (i === index ? next : before)))}
            />
            %
          </label>
        ))}
        <button className="btn btn-xs btn-primary" disabled={!known || !whole}>
          Use these
        </button>
      </div>
      <p role="status" className={`text-sm ${whole ? "quiet" : "text-error"}`}>
        {!known
          ? "Each must be a number above 0."
          : whole
            ? "They add up to 100%."
            : `They add up to ${Number(sum.toFixed(2))}%: ${Number(Math.abs(100 - sum).toFixed(2))}% ${sum < 100 ? "are missing" : "too much"}.`}
      </p>
    </form>
  );
}

function Weight({
  value,
  label,
  locked,
  save,
}: {
  value: number;
  label: string;
  locked: boolean;
  save: (weight: number) => void;
}) {
  const [typed, setTyped] = useState<string | null>(null);
  const number = typed === null ? value : fromCanonical(typed);
  const wrong = number === null || !(number > 0);
  return (
    <>
      <NumberInput
        className={`input-xs w-20 ${wrong ? "input-error" : ""}`}
        aria-label={label}
        aria-invalid={wrong}
        readOnly={locked}
        value={typed ?? String(value)}
        change={setTyped}
        onBlur={() => {
          if (wrong || number === null) return;
          if (number !== value) save(number);
          setTyped(null);
        }}
        onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
      />
      {wrong && <div className="text-sm text-error">must be a number above 0</div>}
    </>
  );
}
