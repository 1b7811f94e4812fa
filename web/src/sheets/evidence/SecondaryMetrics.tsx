import { Link } from "react-router";
import type { Reading, Tone } from "../../api/client";
import { copiedLift, stripColumn } from "../../charts/stripColumn";
import { sharedAxis } from "../../lib/axis";
import { plural, pvalue } from "../../lib/format";
import { figuresOf } from "../../lib/metrics";
import { useWidth } from "../../lib/useWidth";
import { Panel } from "../../parts/basics";
import { DataTable, type Column } from "../../parts/DataTable";
import { Letter } from "../../parts/Letter";
import { useEditing } from "../editing";
import { Figured } from "./DerivationCard";
import { LiftFigure } from "./LiftFigure";

const WIDE = 170;
const NARROW = 100;
const NEEDS = 640;

type Secondary = Reading["secondary"][number];
interface Line {
  metric: Secondary;
  comparison: Secondary["comparisons"][number];
}

/** Secondary metrics and guardrails, their strips on one axis. */
export function SecondaryMetrics({ reading }: { reading: Reading }) {
  const { experiment } = useEditing();
  const family = experiment.family === "holm" ? "Holm" : "Benjamini–Hochberg";
  const [holder, width] = useWidth(NEEDS);
  if (reading.secondary.length === 0) return null;
  const lines = reading.secondary.flatMap((metric) => metric.comparisons.map((comparison) => ({ metric, comparison })));
  return (
    <Panel
      fold="further-metrics"
      title="Secondary and guardrail metrics"
      line={outcomes(reading)}
      note={`guardrails and goals at the rule’s confidence; secondary ones share the level (${family}); grey: the margin`}
    >
      <div ref={holder}>
        <DataTable
          label="Secondary and guardrail metrics, in figures"
          rows={lines}
          rowKey={({ metric, comparison }) => `${metric.key}-${comparison.letter}`}
          columns={columnsOf(reading, lines, experiment.key, width < NEEDS ? NARROW : WIDE)}
        />
      </div>
    </Panel>
  );
}

/** What the further metrics show: "1 guardrail: none ahead or behind; 2 secondary metrics: seats chosen ahead". */
function outcomes(reading: Reading): string {
  const roles = [...new Set(reading.secondary.map((metric) => metric.role))];
  return roles
    .map((role) => {
      const metrics = reading.secondary.filter((metric) => metric.role === role);
      const names = (tone: Tone) =>
        metrics
          .filter((metric) => metric.comparisons.some((comparison) => comparison.tone === tone))
          .map((metric) => metric.name);
      const said = [
        ...names("behind").map((name) => `${name} behind`),
        ...names("ahead").map((name) => `${name} ahead`),
      ];
      return `${plural(metrics.length, role === "secondary" ? "secondary metric" : role)}: ${said.join(", ") || "none ahead or behind"}`;
    })
    .join("; ");
}

function columnsOf(reading: Reading, lines: Line[], experiment: string, strip: number): Column<Line>[] {
  const widest = Math.max(...reading.secondary.map((metric) => metric.margin ?? 0), reading.worthwhile_lift);
  const axis = sharedAxis(
    lines.map((line) => line.comparison.effect),
    widest,
    3,
  );
  const asked = ({ metric, comparison }: Line) => ({ experiment, metric: metric.key, variant: comparison.letter });
  const levelOf = ({ metric }: Line, letter: string) =>
    metric.arms.find((arm) => arm.letter === letter)?.level.estimate ?? null;
  const level = (line: Line, letter: string) =>
    figuresOf(
      line.metric,
      line.metric.arms.map((arm) => arm.level.estimate),
    ).full(levelOf(line, letter));
  return [
    {
      name: "Metric",
      align: "left",
      hideable: false,
      value: ({ metric }) => metric.name,
      copied: [
        ["metric", ({ metric }) => metric.name],
        ["role", ({ metric }) => metric.role],
      ],
      cell: ({ metric }) => (
        <>
          <Link className="link font-semibold" to={`/metrics/${metric.key}`}>
            {metric.name}
          </Link>
          <span className="quiet block text-xs">{metric.role === "goal" ? "second goal" : metric.role}</span>
        </>
      ),
    },
    {
      name: "Variant",
      align: "left",
      value: ({ comparison }) => comparison.letter,
      copied: [["variant", ({ comparison }) => comparison.letter]],
      cell: ({ comparison }) => <Letter letter={comparison.letter} />,
    },
    {
      name: "Level of A",
      head: "A",
      className: "whitespace-nowrap",
      value: (line) => levelOf(line, "A"),
      copied: [["level A", (line) => levelOf(line, "A")]],
      cell: (line) => (
        <Figured
          {...asked(line)}
          figure="level"
          variant="A"
          label={`Level of A in ${line.metric.name}, compared with ${line.comparison.letter}`}
        >
          {level(line, "A")}
        </Figured>
      ),
    },
    {
      name: "Level",
      className: "whitespace-nowrap",
      value: (line) => levelOf(line, line.comparison.letter),
      copied: [["level", (line) => levelOf(line, line.comparison.letter)]],
      cell: (line) => (
        <Figured {...asked(line)} figure="level" label={`Level of ${line.comparison.letter} in ${line.metric.name}`}>
          {level(line, line.comparison.letter)}
        </Figured>
      ),
    },
    stripColumn(axis, strip, ({ metric, comparison }) => ({
      ...comparison,
      lift: comparison.effect,
      worthwhile: metric.margin ?? 0,
    })),
    {
      name: "Lift",
      className: "whitespace-nowrap",
      value: ({ comparison }) => comparison.effect.estimate,
      copied: copiedLift(({ comparison }) => comparison.lift),
      cell: (line) => (
        <LiftFigure
          {...asked(line)}
          lift={line.comparison.effect}
          figure="lift"
          label={`Lift of ${line.comparison.letter} in ${line.metric.name}`}
          strong
        />
      ),
    },
    {
      name: "p, adjusted",
      term: "Adjusted p",
      className: "whitespace-nowrap",
      value: ({ comparison }) => comparison.adjusted_pvalue ?? comparison.pvalue,
      copied: [
        ["p", ({ comparison }) => comparison.pvalue],
        ["p adjusted", ({ comparison }) => comparison.adjusted_pvalue],
      ],
      cell: (line) => (
        <Figured
          {...asked(line)}
          figure="adjusted_pvalue"
          label={`Adjusted p of ${line.comparison.letter} in ${line.metric.name}`}
        >
          {pvalue(line.comparison.adjusted_pvalue ?? line.comparison.pvalue)}
        </Figured>
      ),
    },
    {
      name: "Result",
      align: "left",
      className: "text-sm",
      value: resultOf,
      cell: resultOf,
    },
  ];
}

function resultOf({ metric, comparison }: Line): string {
  if (metric.role === "guardrail") {
    if (comparison.kept) return "kept";
    return comparison.lost ? "harmed" : "not shown yet";
  }
  return { ahead: "ahead", behind: "lost", open: "open" }[comparison.tone];
}
