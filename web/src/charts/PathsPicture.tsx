import { scaleLinear } from "d3-scale";
import { useId } from "react";
import type { World } from "../api/client";
import { verdictNamed, vocabulary, type QuestionWords, type Tone } from "../api/vocabulary";
import { signed } from "../lib/format";
import { useWidth } from "../lib/useWidth";

type Path = World["paths"][number];
const SIDE = { left: 50, right: 26, top: 8, bottom: 22 };
const TONES: Partial<Record<Tone, string>> = {
  ahead: "var(--ahead)",
  behind: "var(--behind)",
  same: "var(--color-neutral)",
};

function colour(verdict: string): string {
  return TONES[verdictNamed(verdict).tone] ?? "var(--open)";
}

/** Simulated runs against the boundary: the lift with the data up to each day, until the rule settles it. */
export function PathsPicture({
  world,
  days,
  worthwhile,
  question,
  good,
  height = 300,
}: {
  world: World;
  days: number;
  worthwhile: number;
  question: QuestionWords;
  /** 1 where more is better, -1 where less is. */
  good: 1 | -1;
  height?: number;
}) {
  const [holder, width] = useWidth(640);
  const frame = useId();
  const top = range(world, worthwhile);
  const x = scaleLinear([1, days], [SIDE.left, width - SIDE.right]);
  const y = scaleLinear([-top, top], [height - SIDE.bottom, SIDE.top]);
  const weeks = Array.from({ length: Math.floor(days / 7) }, (_, week) => 7 * (week + 1));
  const step = Math.ceil(weeks.length / 14);
  const counts = tally(world.paths);
  const sides = question.lines === "both" ? ([1, -1] as const) : [good];
  return (
    <div ref={holder}>
      <svg width={width} height={height} role="img" aria-label={`A hundred simulated runs: ${counts}`}>
        <rect
          x={SIDE.left}
          width={width - SIDE.left - SIDE.right}
          y={y(worthwhile)}
          height={y(-worthwhile) - y(worthwhile)}
          fill="var(--band)"
        />
        {y.ticks(5).map((tick) => (
          <text key={tick} x={SIDE.left - 6} y={y(tick) + 4} textAnchor="end" fontSize={12} fill="var(--color-neutral)">
            {signed(tick).replace(".0%", "%")}
          </text>
        ))}
        {weeks
          .filter((_, index) => (index + 1) % step === 0)
          .map((day) => (
            <text key={day} x={x(day)} y={height - 6} textAnchor="middle" fontSize={12} fill="var(--color-neutral)">
              day {day}
            </text>
          ))}
        <clipPath id={frame}>
          <rect
            x={SIDE.left}
            width={width - SIDE.left - SIDE.right}
            y={SIDE.top}
            height={height - SIDE.top - SIDE.bottom}
          />
        </clipPath>
        {world.paths.map((path, index) => (
          <polyline
            key={index}
            points={line(path, x, y)}
            fill="none"
            stroke={colour(path.verdict)}
            strokeWidth={1}
            strokeOpacity={0.45}
            clipPath={`url(#${frame})`}
          />
        ))}
        {world.paths.map((path, index) => {
          const last = path.lifts[path.decided_on - 1];
          if (path.verdict === "unresolved" || last == null) return null;
          return (
            <circle
              key={index}
              cx={x(path.decided_on)}
              cy={y(Math.max(-top, Math.min(last, top)))}
              r={2.5}
              fill={colour(path.verdict)}
            />
          );
        })}
        <line x1={SIDE.left} x2={width - SIDE.right} y1={y(0)} y2={y(0)} stroke="var(--color-base-content)" />
        <Decided world={world} x={x} bottom={height - SIDE.bottom} />
        {sides.map((sign) => (
          <g key={sign} stroke="var(--color-base-content)" strokeWidth={1.5}>
            <polyline
              points={world.boundary.map((mark) => `${x(mark.day)},${y(sign * Math.min(mark.lift, top))}`).join(" ")}
              fill="none"
              strokeDasharray="5 3"
            />
            {world.boundary.length <= 12 &&
              world.boundary.map((mark) => (
                <circle
                  key={mark.day}
                  cx={x(mark.day)}
                  cy={y(sign * Math.min(mark.lift, top))}
                  r={3}
                  fill="var(--color-base-100)"
                />
              ))}
          </g>
        ))}
      </svg>
      <p className="quiet text-sm">
        Of these: {counts}. A lift must be seen {question.boundary_words} (dashed); grey: {question.band_words}; bars:
        on which day the verdicts of all runs came.
      </p>
    </div>
  );
}

/** On which day the verdicts of all runs came, as bars along the bottom. */
function Decided({ world, x, bottom }: { world: World; x: (day: number) => number; bottom: number }) {
  const most = Math.max(...world.decided_on, 1);
  const wide = Math.max(2, Math.min(10, x(2) - x(1) - 1));
  return (
    <g fill="var(--color-neutral)" fillOpacity={0.35}>
      {world.decided_on.map((runs, index) =>
        runs > 0 ? (
          <rect
            key={index}
            x={x(index + 1) - wide / 2}
            width={wide}
            y={bottom - (40 * runs) / most}
            height={(40 * runs) / most}
          >
            <title>
              {runs} runs decided after day {index + 1}
            </title>
          </rect>
        ) : null,
      )}
    </g>
  );
}

/** Symmetric, wide enough for what most runs show after the first days. */
function range(world: World, worthwhile: number): number {
  const later = world.paths.flatMap((path) => path.lifts.slice(6, path.decided_on)).filter((v) => v !== null);
  const sizes = later.map((value) => Math.abs(value ?? 0)).sort((a, b) => a - b);
  const most = sizes[Math.floor(sizes.length * 0.98)] ?? worthwhile;
  const edge = Math.abs(world.boundary.at(-1)?.lift ?? 0);
  return Math.min(Math.max(most, worthwhile * 1.6, edge * 1.3), 2);
}

function line(path: Path, x: (day: number) => number, y: (lift: number) => number): string {
  return path.lifts
    .slice(0, path.decided_on)
    .map((lift, index) => (lift === null ? "" : `${x(index + 1).toFixed(1)},${y(lift).toFixed(1)}`))
    .filter(Boolean)
    .join(" ");
}

function tally(paths: Path[]): string {
  return vocabulary.verdicts
    .map((verdict) => [paths.filter((path) => path.verdict === verdict.name).length, verdict.title] as const)
    .filter(([number]) => number > 0)
    .map(([number, title]) => `${title.toLowerCase()} ${number}`)
    .join(", ");
}
