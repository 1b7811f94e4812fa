import { useState } from "react";
import { count, parseNumber, plural, rate, weekday } from "../../lib/format";
import { Letter } from "../../parts/Letter";
import { Panel } from "../../parts/basics";
import { useEditing, variantsIn } from "../editing";

export function TrafficSheet() {
  return (
    <>
      <Split />
      <Dates />
    </>
  );
}

function Split() {
  const { experiment, save, mayEdit, locked, error } = useEditing();
  const fixed = locked || !mayEdit;
  const variants = variantsIn(experiment);
  const total = variants.reduce((sum, variant) => sum + (variant.weight ?? 1), 0);
  const even = new Set(variants.map((variant) => variant.weight)).size === 1;
  const set = (index: number, weight: number) =>
    save((latest) => ({
      variants: variantsIn(latest).map((variant, i) => (i === index ? { ...variant, weight } : variant)),
    }));
  return (
    <Panel
      title="Split"
      note="by weights: 50 and 50, or 2 : 3 : 1"
      action={
        !fixed && !even ? (
          <button
            className="btn btn-xs"
            onClick={() =>
              save((latest) => ({ variants: variantsIn(latest).map((variant) => ({ ...variant, weight: 1 })) }))
            }
          >
            Make it even
          </button>
        ) : undefined
      }
    >
      <table className="table table-sm">
        <thead>
          <tr>
            <th>Variant</th>
            <th className="text-right">Weight</th>
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
                  <Letter letter={"ABCDEFGHIJ"[index] ?? ""} />
                  {variant.name}
                </span>
              </td>
              <td className="text-right">
                <Weight
                  value={variant.weight ?? 1}
                  label={`Weight of ${"ABCDEFGHIJ"[index]}`}
                  locked={fixed}
                  save={(weight) => set(index, weight)}
                />
              </td>
              <td className="text-right">{rate((variant.weight ?? 1) / total, 1)}</td>
              <td className="text-right">
                {experiment.plan ? count((experiment.plan.units_per_day * (variant.weight ?? 1)) / total) : "–"}
              </td>
              <td className="text-right">{experiment.plan ? count(experiment.plan.per_arm[index] ?? 0) : "–"}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {error && <p className="text-sm text-error">{error.message}</p>}
      {!even && experiment.plan && (
        <p className="tone-mind mt-2 text-sm">
          An uneven split takes {plural(experiment.plan.weeks, "week")}; an even one{" "}
          {plural(
            experiment.plan.what_if.find((line) => line.label === "An even split")?.weeks ?? experiment.plan.weeks,
            "week",
          )}
          .
        </p>
      )}
    </Panel>
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
  const number = typed === null ? value : parseNumber(typed);
  const wrong = number === null || !(number > 0);
  return (
    <>
      <input
        className={`input input-xs w-20 text-right ${wrong ? "input-error" : ""}`}
        aria-label={label}
        aria-invalid={wrong}
        inputMode="decimal"
        readOnly={locked}
        value={typed ?? String(value)}
        onChange={(event) => setTyped(event.target.value)}
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

function Dates() {
  const { experiment, save, mayEdit, locked } = useEditing();
  return (
    <Panel title="Start and end">
      <div className="flex flex-wrap gap-8">
        {!locked && (
          <label>
            <span className="quiet block text-sm">Planned first day</span>
            <input
              type="date"
              className="input input-sm w-40"
              value={experiment.planned_start ?? ""}
              readOnly={!mayEdit}
              onChange={(event) => save({ planned_start: event.target.value || null })}
            />
          </label>
        )}
        <Fact label="Started" value={experiment.started_on ? weekday(experiment.started_on) : "not yet"} />
        <Fact
          label="Planned last day"
          value={experiment.last_day ? weekday(experiment.last_day) : "follows from the start"}
        />
        <Fact label="Ended" value={experiment.ended_on ? weekday(experiment.ended_on) : "–"} />
      </div>
      <p className="quiet mt-3 text-sm">
        Here the split is planned; your own system assigns. Give every visitor one variant by chance, in these shares,
        at the same time, and bring the daily counts in on the Watch sheet.
      </p>
    </Panel>
  );
}

function Fact({ label, value }: { label: string; value: string }) {
  return (
    <div>
      <span className="quiet block text-sm">{label}</span>
      <span className="font-semibold">{value}</span>
    </div>
  );
}
