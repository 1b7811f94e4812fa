import type { Reading } from "../../api/client";
import { copiedLift, stripColumn } from "../../charts/stripColumn";
import { sharedAxis } from "../../lib/axis";
import { count, percentText, probability } from "../../lib/format";
import { amount } from "../../lib/metrics";
import { useWidth } from "../../lib/useWidth";
import { Panel } from "../../parts/basics";
import { DataTable } from "../../parts/DataTable";
import { Term } from "../../parts/Term";
import { Letter } from "../../parts/Letter";
import { Figured } from "../evidence/DerivationCard";
import { LiftFigure } from "../evidence/LiftFigure";

/** What a rollout of the variant spoken of would bring a month, with its interval. */
export function Worth({ reading, experiment }: { reading: Reading; experiment: string }) {
  const spoken = reading.comparisons.find((line) => line.letter === reading.variant) ?? reading.comparisons[0];
  if (!spoken?.effect_per_month || ["unsound", "keep_collecting"].includes(reading.verdict)) return null;
  return (
    <p className="mt-3 text-sm">
      <b className="font-semibold">If {spoken.letter} were rolled out to all, per month:</b>{" "}
      <Figured
        experiment={experiment}
        figure="impact"
        variant={spoken.letter}
        label={`Effect of ${spoken.letter} per month`}
      >
        {worthText(spoken.effect_per_month, reading)}
      </Figured>{" "}
      {reading.metric}, as far as the {reading.unit_name} to come are like those tested.
      {spoken.adjusted_text && " The estimate is adjusted for when the run ended."}
    </p>
  );
}

/** What it would take for the verdict to be another. */
export function WouldChange({ reading }: { reading: Reading }) {
  if (reading.would_change.length === 0) return null;
  return (
    <div className="mt-3 border-t border-base-300 pt-2 text-sm">
      <h3 className="font-sans font-semibold">
        <Term name="Sensitivity" />
      </h3>
      <ul>
        {reading.would_change.map((line) => (
          <li key={line}>{line}</li>
        ))}
      </ul>
    </div>
  );
}

/** The variants in order, each against the leader. */
export function Ranking({ reading, experiment }: { reading: Reading; experiment: string }) {
  if (reading.ranking.length === 0) return null;
  const names = Object.fromEntries(reading.arms.map((arm) => [arm.letter, arm.name]));
  const leader = reading.ranking[0]?.letter;
  return (
    <Panel title="The variants in order" note={`each against ${leader}, for all pairs together`}>
      <DataTable
        label="The variants in order"
        rows={reading.ranking}
        rowKey={(line) => line.letter}
        sortable={false}
        columns={[
          {
            name: "Variant",
            align: "left",
            hideable: false,
            value: (line) => line.letter,
            copied: [
              ["place", (line) => reading.ranking.indexOf(line) + 1],
              ["variant", (line) => line.letter],
              ["name", (line) => names[line.letter]],
            ],
            cell: (line, place) => (
              <span className="flex items-center gap-2">
                <span className="quiet w-3">{place + 1}</span>
                <Letter letter={line.letter} />
                <span className="font-semibold">{names[line.letter]}</span>
              </span>
            ),
          },
          {
            name: "Probability to be best",
            term: "Probability to be best",
            value: (line) => line.chance,
            copied: [["probability to be best", (line) => line.chance]],
            cell: (line) => (
              <Figured
                experiment={experiment}
                figure="chance"
                variant={line.letter}
                label={`Probability of ${line.letter} to be best`}
              >
                {probability(line.chance)}
              </Figured>
            ),
          },
          {
            name: `Against ${leader}`,
            className: "whitespace-nowrap",
            value: (line) => line.behind.estimate,
            copied: copiedLift((line: Reading["ranking"][number]) => line.behind, ["against leader", "low", "high"]),
            cell: (line, place) =>
              place === 0 ? (
                "leads"
              ) : (
                <LiftFigure
                  experiment={experiment}
                  lift={line.behind}
                  figure="against_leader"
                  variant={line.letter}
                  label={`${line.letter} against ${leader}`}
                />
              ),
          },
          {
            name: "Result",
            align: "left",
            cell: (line, place) => (place === 0 ? "" : line.separable ? "different" : "not distinguishable"),
          },
        ]}
      />
    </Panel>
  );
}

interface Line {
  /** Its key; empty for the metric that decides. */
  metric: string;
  name: string;
  part: string;
  lift: Reading["comparisons"][number]["lift"];
  tone: Reading["comparisons"][number]["tone"];
  sentence: string;
  worth: string;
}

/** Where metrics of a variant pull apart: every metric on one axis, and the effect of each per month. */
export function TradeOff({ reading, experiment }: { reading: Reading; experiment: string }) {
  if (reading.conflicts.length === 0) return null;
  return reading.conflicts.map((pull) => (
    <Pull key={pull.letter} reading={reading} pull={pull} experiment={experiment} />
  ));
}

interface PullProps {
  reading: Reading;
  pull: Reading["conflicts"][number];
  experiment: string;
}

function Pull({ reading, pull, experiment }: PullProps) {
  const lines = linesOf(reading, pull.letter);
  const of = { experiment, variant: pull.letter };
  const [holder, width] = useWidth(620);
  const strip = width < 620 ? 120 : 220;
  const axis = sharedAxis(
    lines.map((line) => line.lift),
    reading.worthwhile_lift,
    3,
  );
  const against = [...pull.behind, ...pull.unproven.map((name) => `${name} (not shown to be kept)`)].join(" and ");
  return (
    <Panel title={`${pull.letter} pulls two ways`} note={`${pull.ahead.join(" and ")} against ${against}`}>
      <div ref={holder}>
        <DataTable
          label={`Trade-off of ${pull.letter}`}
          rows={lines}
          rowKey={(line) => line.name}
          columns={[
            {
              name: "Metric",
              align: "left",
              hideable: false,
              value: (line) => line.name,
              copied: [
                ["metric", (line) => line.name],
                ["part", (line) => line.part],
              ],
              cell: (line) => (
                <>
                  <span className="font-semibold">{line.name}</span> <span className="quiet text-xs">{line.part}</span>
                </>
              ),
            },
            stripColumn(axis, strip, (line: Line) => ({ ...line, worthwhile: reading.worthwhile_lift })),
            {
              name: "Lift",
              className: "whitespace-nowrap",
              value: (line) => line.lift.estimate,
              copied: copiedLift((line: Line) => line.lift),
              cell: (line) => (
                <LiftFigure
                  {...of}
                  lift={line.lift}
                  metric={line.metric}
                  figure="lift"
                  label={`Lift of ${pull.letter} in ${line.name}`}
                  strong
                />
              ),
            },
            {
              name: "Effect per month",
              head: `Estimated effect per month, all visitors with ${pull.letter}`,
              value: (line) => line.worth,
              copied: [["effect per month", (line) => line.worth]],
              cell: (line) => (
                <Figured {...of} metric={line.metric} figure="impact" label={`Effect per month of ${line.name}`}>
                  {line.worth}
                </Figured>
              ),
            },
          ]}
        />
      </div>
      <p className="quiet mt-1 text-xs">
        The rule cannot weigh them against each other; a person must. The difference with its interval, times the{" "}
        {reading.unit_name} of thirty days.
      </p>
    </Panel>
  );
}

function linesOf(reading: Reading, letter: string): Line[] {
  const first = reading.comparisons.find((one) => one.letter === letter);
  const lines: Line[] = first
    ? [
        {
          metric: "",
          name: reading.metric,
          part: "primary",
          lift: first.effect,
          tone: first.tone,
          sentence: first.sentence,
          worth: worthText(first.effect_per_month, reading),
        },
      ]
    : [];
  for (const side of reading.secondary) {
    const match = side.comparisons.find((line) => line.letter === letter);
    if (match)
      lines.push({
        metric: side.key,
        name: side.name,
        part: side.margin
          ? `${side.role}, may lose ${percentText(side.margin)}%`
          : side.role === "goal"
            ? "second goal"
            : side.role,
        lift: match.effect,
        tone: match.tone,
        sentence: match.sentence,
        worth: worthText(match.effect_per_month, side),
      });
  }
  return lines;
}

/** Two figures and the unit: a projection deserves no more. */
export function worthText(
  worth: { estimate: number | null; low: number | null; high: number | null } | null | undefined,
  metric: { kind: string; unit: string; currency: string },
): string {
  if (worth?.estimate == null) return "not known";
  const unit =
    metric.kind === "rate" ? "" : ` ${amount({ is_rate: false, unit: metric.unit, currency: metric.currency })}`;
  const rough = (value: number | null) =>
    value === null
      ? "no limit"
      : `${value > 0 ? "+" : value < 0 ? "−" : ""}${count(Number(Math.abs(value).toPrecision(2)))}`;
  return `${rough(worth.estimate)}${unit} (${rough(worth.low)} to ${rough(worth.high)})`;
}
