import type { ComponentProps } from "react";
import type { Reading } from "../../api/client";
import { methodNamed } from "../../api/vocabulary";
import { IntervalStrip, StripAxis } from "../../charts/IntervalStrip";
import { sharedAxis } from "../../lib/axis";
import { bounds, count, pvalue, rate } from "../../lib/format";
import { figuresOf } from "../../lib/metrics";
import { useWidth } from "../../lib/useWidth";
import { Letter } from "../../parts/Letter";
import { Figured } from "./Working";

const WIDE = 170;
const NARROW = 100;
const NEEDS = 640;

/** Counts, rates and lifts of all variants, their strips on one axis. With `experiment` each figure opens how it is made. */
export function VariantTable({ reading, experiment }: { reading: Reading; experiment?: string }) {
  const [holder, width] = useWidth(NEEDS);
  const strip = width < NEEDS ? NARROW : WIDE;
  const unsound = reading.verdict === "unsound";
  const axis = sharedAxis(unsound ? [] : reading.comparisons.map((c) => c.lift), reading.worthwhile_lift, 3);
  const figures = figuresOf(
    reading,
    reading.arms.map((arm) => arm.rate.estimate),
  );
  const method = methodNamed(reading.method);
  const adjusted = reading.comparisons.length > 1 || method.has_looks || method.holds_at_any_time;
  const units = `${reading.unit_name[0]?.toUpperCase()}${reading.unit_name.slice(1)}`;
  return (
    <div ref={holder} className="overflow-x-auto">
      <table className="w-full text-right">
        <thead className="quiet text-xs">
          <tr className="border-b border-base-300">
            <th className="py-1 text-left font-normal">Variant</th>
            <th className="font-normal">{units}</th>
            <th className="pl-2 font-normal">{figures.totalHead}</th>
            <th className="pl-2 font-normal">{figures.levelHead}</th>
            <th className="pl-2 font-normal" style={{ width: strip }}>
              {!unsound && <StripAxis axis={axis} width={strip} />}
              <span className="sr-only">Lift, drawn</span>
            </th>
            <th className="pl-2 font-normal">Lift</th>
            <th className="pl-2 font-normal">{method.credible ? "better with" : adjusted ? "adjusted p" : "p"}</th>
          </tr>
        </thead>
        <tbody>
          {reading.arms.map((arm, index) => {
            const comparison = unsound ? undefined : reading.comparisons.find((c) => c.letter === arm.letter);
            return (
              <tr key={arm.letter} className="border-b border-base-300 last:border-b-0">
                <td className="py-2.5 text-left">
                  <span className="flex items-center gap-2">
                    <Letter letter={arm.letter} />
                    <span className="font-semibold">{arm.name}</span>
                  </span>
                </td>
                <td className="pl-2">{count(arm.units)}</td>
                <td className="pl-2">{figures.total(arm.total)}</td>
                <td className="pl-2 whitespace-nowrap">
                  <Opens
                    experiment={experiment}
                    figure="level"
                    variant={arm.letter}
                    label={`${figures.levelHead} of ${arm.letter}`}
                  >
                    <span className="font-semibold">{figures.level(arm.rate.estimate)}</span>
                  </Opens>
                  <span className="quiet block text-xs">
                    {figures.level(arm.rate.low).replace("%", "")}–{figures.level(arm.rate.high)}
                  </span>
                </td>
                <td className="pl-2">
                  {comparison && (
                    <IntervalStrip
                      lift={comparison.lift}
                      tone={comparison.tone}
                      worthwhile={reading.worthwhile_lift}
                      axis={axis}
                      width={strip}
                      sentence={comparison.sentence}
                    />
                  )}
                </td>
                <td className="pl-2 whitespace-nowrap">
                  {index === 0 ? (
                    <span className="quiet">baseline</span>
                  ) : comparison ? (
                    <>
                      <Opens experiment={experiment} figure="lift" variant={arm.letter} label={`Lift of ${arm.letter}`}>
                        <span className="font-semibold">{comparison.lift.estimate_text}</span>
                      </Opens>
                      <span className="quiet block text-xs">{bounds(comparison.lift)}</span>
                    </>
                  ) : (
                    <span className="quiet">not read</span>
                  )}
                </td>
                <td className="pl-2 whitespace-nowrap">
                  {comparison && (
                    <>
                      {comparison.superiority == null ? (
                        <Opens
                          experiment={experiment}
                          figure={adjusted ? "adjusted_pvalue" : "pvalue"}
                          variant={arm.letter}
                          label={`${adjusted ? "Adjusted p" : "p"} of ${arm.letter}`}
                        >
                          {pvalue(comparison.adjusted_pvalue)}
                        </Opens>
                      ) : (
                        <Opens
                          experiment={experiment}
                          figure="superiority"
                          variant={arm.letter}
                          label={`Probability that ${arm.letter} is better`}
                        >
                          {probability(comparison.superiority)}
                        </Opens>
                      )}
                      {comparison.exact_pvalue !== null && (
                        <span className="quiet block text-xs">
                          exact{" "}
                          <Opens
                            experiment={experiment}
                            figure="exact_pvalue"
                            variant={arm.letter}
                            label={`Exact p of ${arm.letter}`}
                          >
                            {pvalue(comparison.exact_pvalue)}
                          </Opens>
                        </span>
                      )}
                    </>
                  )}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </div>
  );
}

type OpensProps = Omit<ComponentProps<typeof Figured>, "experiment"> & { experiment: string | undefined };

function Opens({ experiment, children, ...rest }: OpensProps) {
  return experiment === undefined ? (
    children
  ) : (
    <Figured experiment={experiment} {...rest}>
      {children}
    </Figured>
  );
}

/** Never rounded to certainty. */
function probability(value: number): string {
  return rate(Math.min(Math.max(value, 0.001), 0.999), 1);
}
