import { useMetrics } from "../api/hooks";
import { kindNamed } from "../api/vocabulary";
import { Problem } from "./ConditionFields";
import type { Total } from "./kinds";

const SUMS: [Exclude<Total["of"], "metric">, string][] = [
  ["cost", "cost"],
  ["impressions", "impressions"],
  ["units", "units"],
];

const NAMES = { Divide: "Numerator, a total by day", by: "Denominator, a total by day" };

interface Props {
  totals: Total[];
  set: (totals: Total[]) => void;
  errorFor: (path: string) => string | undefined;
}

/** What is divided and by what, of a ratio of totals by day. */
export function TotalsFields({ totals, set, errorFor }: Props) {
  const library = useMetrics().data?.items ?? [];
  const adding = library.filter(({ definition }) => {
    const { parts } = kindNamed(definition.kind);
    return !parts.includes("totals") && !parts.includes("denominator") && kindNamed(definition.kind).fields.length > 0;
  });
  return (
    <fieldset className="border-b border-base-300 py-2">
      <legend className="quiet text-sm">Totals by day and variant</legend>
      {(["Divide", "by"] as const).map((label, index) => {
        const total = totals[index] ?? { of: "cost", metric: "" };
        const error = errorFor(`totals.${index}.metric`) ?? errorFor(`totals.${index}.of`);
        return (
          <label key={label} className="flex flex-wrap items-center gap-2 py-0.5 text-sm">
            <span className="quiet w-12">{label}</span>
            <select
              className="select select-sm w-64"
              aria-label={NAMES[label]}
              aria-invalid={error !== undefined}
              value={total.of === "metric" ? `metric:${total.metric}` : total.of}
              onChange={(event) => {
                const [of, metric = ""] = event.target.value.split(":");
                set([0, 1].map((at) => (at === index ? { of: of as Total["of"], metric } : totals[at]!)));
              }}
            >
              {total.of === "metric" && !total.metric && <option value="metric:">choose a total</option>}
              {SUMS.map(([name, title]) => (
                <option key={name} value={name}>
                  {title}
                </option>
              ))}
              <optgroup label="The total of a metric">
                {adding.map(({ key, name }) => (
                  <option key={key} value={`metric:${key}`}>
                    {name}
                  </option>
                ))}
              </optgroup>
            </select>
            {error && <Problem text={error} />}
          </label>
        );
      })}
      <p className="quiet text-xs">
        Nothing is known of single units: each day is one replicate, and a comparison takes seven days or more.
      </p>
    </fieldset>
  );
}
