import type { Reading } from "../../api/client";
import { IntervalStrip, StripAxis } from "../../charts/IntervalStrip";
import { sharedAxis } from "../../lib/axis";
import { bounds, count, percentText } from "../../lib/format";
import { amount } from "../../lib/metrics";
import { tableText } from "../../lib/tableText";
import { useWidth } from "../../lib/useWidth";
import { Panel } from "../../parts/basics";
import { CopyTable } from "../../parts/CopyTable";
import { Letter } from "../../parts/Letter";
import { Figured } from "../evidence/Working";

/** What a rollout of the variant spoken of would bring a month, with its interval. */
export function Worth({ reading, experiment }: { reading: Reading; experiment: string }) {
  const spoken = reading.comparisons.find((line) => line.letter === reading.variant) ?? reading.comparisons[0];
  if (!spoken?.effect_per_month || ["unsound", "keep_collecting"].includes(reading.verdict)) return null;
  return (
    <p className="mt-3 text-sm">
      <b className="font-semibold">If {spoken.letter} were rolled out to all, a month:</b>{" "}
      <Figured
        experiment={experiment}
        figure="impact"
        variant={spoken.letter}
        label={`Worth of ${spoken.letter} a month`}
      >
        {worthText(spoken.effect_per_month, reading)}
      </Figured>{" "}
      {reading.metric}, as far as the {reading.unit_name} to come are like those tested.
    </p>
  );
}

/** What it would take for the verdict to be another. */
export function WouldChange({ reading }: { reading: Reading }) {
  if (reading.would_change.length === 0) return null;
  return (
    <div className="mt-3 border-t border-base-300 pt-2 text-sm">
      <h3 className="font-sans font-semibold">What would change this</h3>
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
    <Panel
      title="The variants in order"
      note={`each against ${leader}, for all pairs together`}
      action={
        <CopyTable
          text={tableText(
            ["place", "variant", "name", "chance to be best", "against leader", "low", "high"],
            reading.ranking.map((line, place) => [
              place + 1,
              line.letter,
              names[line.letter] ?? "",
              line.chance,
              line.behind.estimate ?? "",
              line.behind.low ?? "",
              line.behind.high ?? "",
            ]),
          )}
        />
      }
    >
      <table className="w-full text-right text-sm">
        <thead className="quiet text-xs">
          <tr className="border-b border-base-300">
            <th className="py-1 text-left font-normal">Variant</th>
            <th className="font-normal">Chance to be best</th>
            <th className="font-normal">Against {leader}</th>
            <th className="pl-4 text-left font-normal">So</th>
          </tr>
        </thead>
        <tbody>
          {reading.ranking.map((line, place) => (
            <tr key={line.letter} className="border-b border-base-300 last:border-b-0">
              <td className="py-1.5 text-left">
                <span className="flex items-center gap-2">
                  <span className="quiet w-3">{place + 1}</span>
                  <Letter letter={line.letter} />
                  <span className="font-semibold">{names[line.letter]}</span>
                </span>
              </td>
              <td>
                <Figured
                  experiment={experiment}
                  figure="chance"
                  variant={line.letter}
                  label={`Chance of ${line.letter} to be best`}
                >
                  {chanceText(line.chance)}
                </Figured>
              </td>
              <td className="whitespace-nowrap">
                {place === 0 ? (
                  "leads"
                ) : (
                  <>
                    <Figured
                      experiment={experiment}
                      figure="against_leader"
                      variant={line.letter}
                      label={`${line.letter} against ${leader}`}
                    >
                      {line.behind.estimate_text}
                    </Figured>
                    <span className="quiet block text-xs">{bounds(line.behind)}</span>
                  </>
                )}
              </td>
              <td className="pl-4 text-left">{place === 0 ? "" : line.separable ? "told apart" : "not told apart"}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </Panel>
  );
}

function chanceText(chance: number): string {
  if (chance > 0.999) return "over 99.9%";
  return chance < 0.001 ? "under 0.1%" : `${(chance * 100).toFixed(1)}%`;
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

/** Where metrics of a variant pull apart: every metric on one axis, and what each is worth a month. */
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
    <Panel
      title={`${pull.letter} pulls two ways`}
      note={`${pull.ahead.join(" and ")} against ${against}`}
      action={
        <CopyTable
          text={tableText(
            ["metric", "part", "lift", "low", "high", "worth a month"],
            lines.map((line) =>
              [line.name, line.part, line.lift.estimate, line.lift.low, line.lift.high, line.worth].map(
                (cell) => cell ?? "",
              ),
            ),
          )}
        />
      }
    >
      <div ref={holder} className="overflow-x-auto" tabIndex={0} aria-label={`Trade-off of ${pull.letter}`}>
        <table className="w-full text-right text-sm">
          <thead className="quiet text-xs">
            <tr className="border-b border-base-300">
              <th className="py-1 text-left font-normal">Metric</th>
              <th className="pl-2 font-normal" style={{ width: strip }}>
                <StripAxis axis={axis} width={strip} />
                <span className="sr-only">Lift, drawn</span>
              </th>
              <th className="pl-2 font-normal">Lift</th>
              <th className="pl-2 font-normal">Worth a month, all visitors with {pull.letter}</th>
            </tr>
          </thead>
          <tbody>
            {lines.map((line) => (
              <tr key={line.name} className="border-b border-base-300 last:border-b-0">
                <td className="py-1.5 text-left">
                  <span className="font-semibold">{line.name}</span> <span className="quiet text-xs">{line.part}</span>
                </td>
                <td className="pl-2">
                  <IntervalStrip
                    lift={line.lift}
                    tone={line.tone}
                    worthwhile={reading.worthwhile_lift}
                    axis={axis}
                    width={strip}
                    sentence={line.sentence}
                  />
                </td>
                <td className="pl-2 whitespace-nowrap">
                  <Figured {...of} metric={line.metric} figure="lift" label={`Lift of ${pull.letter} in ${line.name}`}>
                    <span className="font-semibold">{line.lift.estimate_text}</span>
                  </Figured>
                  <span className="quiet block text-xs">{bounds(line.lift)}</span>
                </td>
                <td className="pl-2">
                  <Figured {...of} metric={line.metric} figure="impact" label={`Worth of ${line.name} a month`}>
                    {line.worth}
                  </Figured>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <p className="quiet mt-1 text-xs">
        The rule cannot weigh them against each other; a person must. The difference with its interval, times the{" "}
        {reading.unit_name} of thirty days.
      </p>
    </Panel>
  );
}

function linesOf(reading: Reading, letter: string): Line[] {
  const first = reading.comparisons.find((found) => found.letter === letter);
  const lines: Line[] = first
    ? [
        {
          metric: "",
          name: reading.metric,
          part: "decides",
          lift: first.lift,
          tone: first.tone,
          sentence: first.sentence,
          worth: worthText(first.effect_per_month, reading),
        },
      ]
    : [];
  for (const side of reading.secondary) {
    const found = side.comparisons.find((line) => line.letter === letter);
    if (found)
      lines.push({
        metric: side.key,
        name: side.name,
        part: side.margin ? `${side.role}, may lose ${percentText(side.margin)}%` : side.role,
        lift: found.lift,
        tone: found.tone,
        sentence: found.sentence,
        worth: worthText(found.effect_per_month, side),
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
