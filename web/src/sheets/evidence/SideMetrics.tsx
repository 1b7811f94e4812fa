import { Link } from "react-router";
import type { Reading } from "../../api/client";
import { IntervalStrip, StripAxis } from "../../charts/IntervalStrip";
import { sharedAxis } from "../../lib/axis";
import { bounds, pvalue } from "../../lib/format";
import { figuresOf } from "../../lib/metrics";
import { tableText } from "../../lib/tableText";
import { useWidth } from "../../lib/useWidth";
import { Panel } from "../../parts/basics";
import { CopyTable } from "../../parts/CopyTable";
import { Letter } from "../../parts/Letter";
import { useEditing } from "../editing";
import { Figured } from "./Working";

const WIDE = 170;
const NARROW = 100;
const NEEDS = 640;

/** The metrics beside the one that decides: secondary ones and guardrails, their strips on one axis. */
export function SideMetrics({ reading }: { reading: Reading }) {
  const { secondary } = reading;
  const { experiment } = useEditing();
  const family = experiment.family === "holm" ? "Holm" : "Benjamini–Hochberg";
  const [holder, width] = useWidth(NEEDS);
  const strip = width < NEEDS ? NARROW : WIDE;
  if (secondary.length === 0) return null;
  const lines = secondary.flatMap((side) => side.comparisons.map((comparison) => ({ side, comparison })));
  const widest = Math.max(...secondary.map((side) => side.margin ?? 0), reading.worthwhile_lift);
  const axis = sharedAxis(
    lines.map((line) => line.comparison.lift),
    widest,
    3,
  );
  return (
    <Panel
      title="Metrics beside"
      note={`guardrails at the rule’s confidence; secondary ones share the level (${family}); grey: the margin`}
      action={<CopyTable text={asText(reading)} />}
    >
      <div ref={holder} className="overflow-x-auto" tabIndex={0} aria-label="Metrics beside, in figures">
        <table className="w-full text-right">
          <thead className="quiet text-xs">
            <tr className="border-b border-base-300">
              <th className="py-1 text-left font-normal">Metric</th>
              <th className="pl-2 font-normal">A</th>
              <th className="pl-2 text-left font-normal">Variant</th>
              <th className="pl-2 font-normal">Level</th>
              <th className="pl-2 font-normal" style={{ width: strip }}>
                <StripAxis axis={axis} width={strip} />
                <span className="sr-only">Lift, drawn</span>
              </th>
              <th className="pl-2 font-normal">Lift</th>
              <th className="pl-2 font-normal">p, adjusted</th>
              <th className="pl-2 text-left font-normal">So</th>
            </tr>
          </thead>
          <tbody>
            {lines.map(({ side, comparison }) => {
              const figures = figuresOf(
                side,
                side.arms.map((arm) => arm.level.estimate),
              );
              const arm = side.arms.find((found) => found.letter === comparison.letter);
              const of = { experiment: experiment.key, metric: side.key, variant: comparison.letter };
              return (
                <tr key={`${side.key}-${comparison.letter}`} className="border-b border-base-300 last:border-b-0">
                  <td className="py-2 text-left">
                    <Link className="link font-semibold" to={`/metrics/${side.key}`}>
                      {side.name}
                    </Link>
                    <span className="quiet block text-xs">{side.role}</span>
                  </td>
                  <td className="pl-2 whitespace-nowrap">
                    <Figured
                      {...of}
                      figure="level"
                      variant="A"
                      label={`Level of A in ${side.name}, beside ${comparison.letter}`}
                    >
                      {figures.full(side.arms[0]?.level.estimate ?? null)}
                    </Figured>
                  </td>
                  <td className="pl-2 text-left">
                    <Letter letter={comparison.letter} />
                  </td>
                  <td className="pl-2 whitespace-nowrap">
                    <Figured {...of} figure="level" label={`Level of ${comparison.letter} in ${side.name}`}>
                      {figures.full(arm?.level.estimate ?? null)}
                    </Figured>
                  </td>
                  <td className="pl-2">
                    <IntervalStrip
                      lift={comparison.lift}
                      tone={comparison.tone}
                      worthwhile={side.margin ?? 0}
                      axis={axis}
                      width={strip}
                      sentence={comparison.sentence}
                    />
                  </td>
                  <td className="pl-2 whitespace-nowrap">
                    <Figured {...of} figure="lift" label={`Lift of ${comparison.letter} in ${side.name}`}>
                      <span className="font-semibold">{comparison.lift.estimate_text}</span>
                    </Figured>
                    <span className="quiet block text-xs">{bounds(comparison.lift)}</span>
                  </td>
                  <td className="pl-2 whitespace-nowrap">
                    <Figured
                      {...of}
                      figure="adjusted_pvalue"
                      label={`Adjusted p of ${comparison.letter} in ${side.name}`}
                    >
                      {pvalue(comparison.adjusted_pvalue ?? comparison.pvalue)}
                    </Figured>
                  </td>
                  <td className="pl-2 text-left text-sm">{so(side, comparison)}</td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
    </Panel>
  );
}

type Side = Reading["secondary"][number];

function so(side: Side, comparison: Side["comparisons"][number]): string {
  if (side.role === "guardrail") {
    if (comparison.kept) return "kept";
    return comparison.lost ? "harmed" : "not shown yet";
  }
  return { ahead: "ahead", behind: "lost", open: "open" }[comparison.tone];
}

function asText(reading: Reading): string {
  return tableText(
    ["metric", "role", "variant", "level A", "level", "lift", "low", "high", "p", "p adjusted"],
    reading.secondary.flatMap((side) =>
      side.comparisons.map((line) =>
        [
          side.name,
          side.role,
          line.letter,
          side.arms[0]?.level.estimate,
          side.arms.find((arm) => arm.letter === line.letter)?.level.estimate,
          line.lift.estimate,
          line.lift.low,
          line.lift.high,
          line.pvalue,
          line.adjusted_pvalue,
        ].map((cell) => cell ?? ""),
      ),
    ),
  );
}
