import { CartesianGrid, Line, LineChart, ReferenceLine, ResponsiveContainer, Tooltip, XAxis, YAxis } from "recharts";
import { HEIGHT, TICK } from "./drawing";
import { AsTable } from "./AsTable";
import { niceRange, niceTicks } from "../lib/axis";
import { percentText } from "../lib/format";

/** What each extra week adds: the smallest lift, or margin, that would be shown, week by week. */
export function WeeksCurve({
  curve,
  weeks,
  wanted,
  lookedFor = "lift",
  height = HEIGHT,
}: {
  curve: (number | null)[];
  weeks: number;
  wanted: number;
  lookedFor?: string;
  height?: number;
}) {
  const points = curve.map((lift, index) => ({ week: index + 1, lift }));
  const last = points.at(-1)?.lift;
  const range = niceRange([0, ...curve.filter((lift): lift is number => lift !== null)]);
  return (
    <>
      <div
        role="img"
        aria-label={`Smallest ${lookedFor} shown after 1 week ${percent(curve[0])}, after ${curve.length} weeks ${percent(last)}`}
      >
        <ResponsiveContainer width="100%" height={height}>
          <LineChart data={points} margin={{ top: 8, right: 24, bottom: 0, left: 0 }} accessibilityLayer={false}>
            <CartesianGrid vertical={false} stroke="var(--color-base-300)" strokeOpacity={0.6} />
            <XAxis
              dataKey="week"
              tickFormatter={(week: number) => (week === 1 ? "1 week" : String(week))}
              tick={TICK}
              axisLine={false}
              tickLine={false}
              interval="preserveStartEnd"
            />
            <YAxis
              tickFormatter={(v: number) => `${percentText(Number(v.toFixed(4)))}%`}
              domain={range}
              ticks={niceTicks(range, 4)}
              tick={TICK}
              axisLine={false}
              tickLine={false}
              width={46}
            />
            <ReferenceLine y={wanted} stroke="var(--color-warning)" strokeDasharray="4 3" />
            <ReferenceLine x={weeks} stroke="var(--color-warning)" strokeDasharray="4 3" />
            <Line
              dataKey="lift"
              stroke="var(--color-primary)"
              strokeWidth={2}
              dot={{ r: 3, fill: "var(--color-base-100)" }}
              isAnimationActive={false}
            />
            <Tooltip
              content={({ active, payload }) => {
                const point = payload?.[0]?.payload as { week: number; lift: number | null } | undefined;
                if (!active || !point) return null;
                return (
                  <div className="sheet px-2 py-1 text-xs">
                    After {point.week} {point.week === 1 ? "week" : "weeks"}: lifts of {percent(point.lift)} or more are
                    seen
                  </div>
                );
              }}
            />
          </LineChart>
        </ResponsiveContainer>
      </div>
      <AsTable
        label={`Smallest ${lookedFor} shown by weeks`}
        points={points}
        columns={[
          { name: "Weeks", value: (point) => point.week },
          { name: `Smallest ${lookedFor}`, value: (point) => point.lift, text: (point) => percent(point.lift) },
        ]}
      />
    </>
  );
}

function percent(lift: number | null | undefined): string {
  return lift == null ? "none" : `${(lift * 100).toFixed(1)}%`;
}
