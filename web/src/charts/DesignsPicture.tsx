import { CartesianGrid, Line, LineChart, ReferenceLine, ResponsiveContainer, XAxis, YAxis } from "recharts";
import type { RegionDesign } from "../api/regions";
import { HEIGHT, TICK } from "./drawing";
import { niceRange, niceTicks } from "../lib/axis";

const DASHES = ["", "6 3", "3 3", "1 3"];

interface Props {
  designs: readonly RegionDesign[];
  chosen: { pairs: number | null; weeks: number | null };
  breakEven: number | null;
  height?: number;
}

/** The smallest return that each design shows, by its length: a line a number of pairs. */
export function DesignsPicture({ designs, chosen, breakEven, height = HEIGHT }: Props) {
  const shown = designs.filter((one) => one.smallest_return !== null);
  const numbers = [...new Set(shown.map((one) => one.pairs))].sort((a, b) => b - a);
  const weeks = [...new Set(shown.map((one) => one.weeks))].sort((a, b) => a - b);
  if (weeks.length < 2) return null;
  const points = weeks.map((week) => ({
    week,
    ...Object.fromEntries(
      shown.filter((one) => one.weeks === week).map((one) => [String(one.pairs), one.smallest_return]),
    ),
  }));
  const range = niceRange([0, ...shown.map((one) => one.smallest_return ?? 0), breakEven ?? 0]);
  return (
    <figure className="mb-2">
      <div
        role="img"
        aria-label={`Smallest return shown, from ${Math.min(...shown.map((one) => one.smallest_return ?? Infinity)).toFixed(2)} on, by length and number of pairs`}
      >
        <ResponsiveContainer width="100%" height={height}>
          <LineChart data={points} margin={{ top: 8, right: 24, bottom: 0, left: 0 }} accessibilityLayer={false}>
            <CartesianGrid vertical={false} stroke="var(--color-base-300)" strokeOpacity={0.6} />
            <XAxis
              dataKey="week"
              type="number"
              domain={[weeks[0] ?? 0, weeks.at(-1) ?? 1]}
              ticks={weeks}
              tickFormatter={(week: number) => `${week} weeks`}
              tick={TICK}
              axisLine={false}
              tickLine={false}
            />
            <YAxis
              domain={range}
              ticks={niceTicks(range, 4)}
              tick={TICK}
              axisLine={false}
              tickLine={false}
              width={40}
            />
            {breakEven !== null && (
              <ReferenceLine
                y={breakEven}
                stroke="var(--color-warning)"
                strokeDasharray="4 3"
                label={{ value: `pays from ${breakEven}`, position: "insideTopLeft", fontSize: 12 }}
              />
            )}
            {numbers.map((pairs, index) => (
              <Line
                key={pairs}
                dataKey={String(pairs)}
                stroke={pairs === chosen.pairs ? "var(--color-primary)" : "var(--color-neutral)"}
                strokeWidth={pairs === chosen.pairs ? 2.5 : 1.5}
                strokeDasharray={DASHES[index] ?? ""}
                dot={(dot: { cx?: number; cy?: number; payload?: { week: number } }) => {
                  const here = pairs === chosen.pairs && dot.payload?.week === chosen.weeks;
                  return (
                    <circle
                      key={`${pairs}-${dot.payload?.week ?? 0}`}
                      cx={dot.cx ?? 0}
                      cy={dot.cy ?? 0}
                      r={here ? 5 : 2.5}
                      fill={here ? "var(--color-primary)" : "var(--color-base-100)"}
                      stroke={pairs === chosen.pairs ? "var(--color-primary)" : "var(--color-neutral)"}
                    />
                  );
                }}
                isAnimationActive={false}
              />
            ))}
          </LineChart>
        </ResponsiveContainer>
      </div>
      <figcaption className="quiet flex flex-wrap gap-4 text-sm">
        <span>Smallest return shown, by length:</span>
        {numbers.map((pairs, index) => (
          <span key={pairs} className="flex items-center gap-1.5">
            <svg width="24" height="6" aria-hidden>
              <line
                x1="0"
                x2="24"
                y1="3"
                y2="3"
                stroke={pairs === chosen.pairs ? "var(--color-primary)" : "var(--color-neutral)"}
                strokeWidth="2"
                strokeDasharray={DASHES[index]}
              />
            </svg>
            {pairs} pairs
          </span>
        ))}
      </figcaption>
    </figure>
  );
}
