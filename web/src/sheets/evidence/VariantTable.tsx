import type { ComponentProps } from "react";
import type { Reading } from "../../api/client";
import { methodNamed } from "../../api/vocabulary";
import { copiedLift, stripColumn } from "../../charts/stripColumn";
import { sharedAxis } from "../../lib/axis";
import { count, pvalue, rate } from "../../lib/format";
import { figuresOf, isQuantile, tickOf } from "../../lib/metrics";
import { useWidth } from "../../lib/useWidth";
import { DataTable, type Column } from "../../parts/DataTable";
import { Letter } from "../../parts/Letter";
import { Figured } from "./DerivationCard";
import { LiftFigure } from "./LiftFigure";

const WIDE = 170;
const NARROW = 100;
const NEEDS = 640;

type Arm = Reading["arms"][number];

/** Counts, rates and lifts of all variants, their strips on one axis. With `experiment` each figure opens how it is made. */
export function VariantTable({ reading, experiment }: { reading: Reading; experiment?: string }) {
  const [holder, width] = useWidth(NEEDS);
  return (
    <div ref={holder}>
      <DataTable
        label="Variants"
        rows={reading.arms}
        rowKey={(arm) => arm.letter}
        columns={columnsOf(reading, experiment, width < NEEDS ? NARROW : WIDE)}
      />
    </div>
  );
}

function columnsOf(reading: Reading, experiment: string | undefined, strip: number): Column<Arm>[] {
  const unsound = reading.verdict === "unsound";
  const byDifference = reading.scale === "difference";
  const compared = new Map(unsound ? [] : reading.comparisons.map((line) => [line.letter, line]));
  const figures = figuresOf(
    reading,
    reading.arms.map((arm) => arm.rate.estimate),
  );
  const axis = unsound
    ? null
    : sharedAxis(
        [...compared.values()].map((line) => line.effect),
        reading.worthwhile_lift,
        3,
      );
  const unit = `${reading.unit_name[0]?.toUpperCase()}${reading.unit_name.slice(1)}`;
  const [totals, levels] =
    reading.kind === "rate" ? ["conversions", "rate"] : [isQuantile(reading.kind) ? "values" : "total", reading.kind];
  return [
    {
      name: "Variant",
      align: "left",
      hideable: false,
      value: (arm) => arm.letter,
      copied: [
        ["variant", (arm) => arm.letter],
        ["name", (arm) => arm.name],
      ],
      cell: (arm) => (
        <span className="flex items-center gap-2 py-1">
          <Letter letter={arm.letter} />
          <span>
            <span className="font-semibold">
              <bdi>{arm.name}</bdi>
            </span>
            {arm.stopped && <span className="quiet text-sm"> stopped</span>}
          </span>
        </span>
      ),
    },
    {
      name: unit,
      value: (arm) => arm.units,
      copied: [["units", (arm) => arm.units]],
      cell: (arm) => count(arm.units),
    },
    {
      name: figures.totalHead,
      value: (arm) => arm.total,
      copied: [[totals, (arm) => arm.total]],
      cell: (arm) => figures.total(arm.total),
    },
    {
      name: figures.levelHead,
      className: "whitespace-nowrap",
      value: (arm) => arm.rate.estimate,
      copied: [[levels, (arm) => arm.rate.estimate]],
      cell: (arm) => (
        <>
          <Opens
            experiment={experiment}
            figure="level"
            variant={arm.letter}
            label={`${figures.levelHead} of ${arm.letter}`}
          >
            <span className="font-semibold">{figures.level(arm.rate.estimate)}</span>
          </Opens>
          <span className="quiet block text-xs">
            {figures.level(arm.rate.low).replace("%", "")}
            {(arm.rate.low ?? 0) < 0 ? " to " : "–"}
            {figures.level(arm.rate.high)}
          </span>
        </>
      ),
    },
    stripColumn(
      axis,
      strip,
      (arm) => {
        const line = compared.get(arm.letter);
        return line ? { ...line, lift: line.effect, worthwhile: reading.worthwhile_lift } : null;
      },
      tickOf(reading),
    ),
    {
      name: byDifference ? "Difference" : "Lift",
      ...(!byDifference && { term: "Lift" }),
      className: "whitespace-nowrap",
      value: (arm) => compared.get(arm.letter)?.effect.estimate,
      copied: copiedLift(
        (arm) => compared.get(arm.letter)?.[reading.scale],
        [reading.scale, `${reading.scale} low`, `${reading.scale} high`],
      ),
      cell: (arm, index) =>
        index === 0 ? (
          <span className="quiet">baseline</span>
        ) : compared.has(arm.letter) ? (
          <>
            <LiftFigure
              lift={compared.get(arm.letter)?.effect}
              experiment={experiment}
              figure={reading.scale}
              variant={arm.letter}
              label={`${byDifference ? "Difference" : "Lift"} of ${arm.letter}`}
              strong
            />
            {compared.get(arm.letter)?.adjusted_text && (
              <span className="ml-auto block max-w-24 text-xs whitespace-normal">
                <Opens
                  experiment={experiment}
                  figure="adjusted_effect"
                  variant={arm.letter}
                  label={`Estimate of ${arm.letter}, adjusted for stopping`}
                >
                  {compared.get(arm.letter)?.adjusted_text}
                </Opens>
              </span>
            )}
          </>
        ) : (
          <span className="quiet">not read</span>
        ),
    },
    evidenceColumn(reading, compared, experiment),
  ];
}

/** How strong the evidence is: p, adjusted where several looks or variants share the level, or the probability to be better. */
function evidenceColumn(
  reading: Reading,
  compared: Map<string, Reading["comparisons"][number]>,
  experiment: string | undefined,
): Column<Arm> {
  const method = methodNamed(reading.method);
  const adjusted = reading.comparisons.length > 1 || method.has_looks || method.holds_at_any_time;
  const of = (arm: Arm) => compared.get(arm.letter);
  return {
    name: method.credible ? "better with" : adjusted ? "adjusted p" : "p",
    ...(method.credible ? {} : { term: adjusted ? "Adjusted p" : "p-value" }),
    className: "whitespace-nowrap",
    value: (arm) => of(arm)?.superiority ?? of(arm)?.adjusted_pvalue,
    copied: [
      ["p", (arm) => of(arm)?.pvalue],
      ["p adjusted", (arm) => of(arm)?.adjusted_pvalue],
      ...(reading.comparisons.some((line) => line.margin_pvalue != null)
        ? ([["p margin", (arm: Arm) => of(arm)?.margin_pvalue]] as const)
        : []),
    ],
    cell: (arm) => {
      const line = of(arm);
      if (!line) return null;
      const asked = { experiment, variant: arm.letter };
      return (
        <>
          {line.superiority == null ? (
            <Opens
              {...asked}
              figure={adjusted ? "adjusted_pvalue" : "pvalue"}
              label={`${adjusted ? "Adjusted p" : "p"} of ${arm.letter}`}
            >
              {pvalue(line.adjusted_pvalue)}
            </Opens>
          ) : (
            <Opens {...asked} figure="superiority" label={`Probability that ${arm.letter} is better`}>
              {probability(line.superiority)}
            </Opens>
          )}
          {line.margin_pvalue != null && (
            <span className="quiet block text-xs">
              margin{" "}
              <Opens {...asked} figure="margin_pvalue" label={`p of the margin of ${arm.letter}`}>
                {pvalue(line.margin_pvalue)}
              </Opens>
            </span>
          )}
          {line.exact_pvalue !== null && (
            <span className="quiet block text-xs">
              exact{" "}
              <Opens {...asked} figure="exact_pvalue" label={`Exact p of ${arm.letter}`}>
                {pvalue(line.exact_pvalue)}
              </Opens>
            </span>
          )}
        </>
      );
    },
  };
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
