import { CartesianGrid, ErrorBar, Line, LineChart, ReferenceLine, ResponsiveContainer, XAxis, YAxis } from "recharts";
import { HEIGHT, TICK } from "./drawing";
import { AsTable } from "./AsTable";
import type { Placebo } from "../api/regions";

/** How often each added effect was shown, with twice the Monte Carlo error; at none, the false alarms. */
export function PlaceboPicture({ placebo, height = HEIGHT }: { placebo: Placebo; height?: number }) {
  const end = placebo.found.findIndex((one) => one.share > 0.995);
  const points = placebo.found
    .slice(0, end < 0 ? undefined : end + 1)
    .map((one) => ({ lift: one.lift, share: one.share, reach: 2 * one.error }));
  const last = points.at(-1)?.lift ?? 0;
  return (
    <>
      <div
        role="img"
        aria-label={`Shown by effect added: none ${percent(points[0]?.share)}, ${percent(last)} ${percent(points.at(-1)?.share)}`}
      >
        <ResponsiveContainer width="100%" height={height}>
          <LineChart data={points} margin={{ top: 8, right: 24, bottom: 0, left: 0 }} accessibilityLayer={false}>
            <CartesianGrid vertical={false} stroke="var(--color-base-300)" strokeOpacity={0.6} />
            <XAxis
              dataKey="lift"
              type="number"
              domain={[0, last]}
              ticks={points.map((point) => point.lift)}
              tickFormatter={effect}
              tick={TICK}
              axisLine={false}
              tickLine={false}
              interval="preserveStartEnd"
            />
            <YAxis
              domain={[0, 1]}
              ticks={[0, 0.25, 0.5, 0.75, 1]}
              tickFormatter={percent}
              tick={TICK}
              axisLine={false}
              tickLine={false}
              width={46}
            />
            <ReferenceLine y={placebo.power} stroke="var(--color-warning)" strokeDasharray="4 3" />
            <Line
              dataKey="share"
              stroke="var(--color-primary)"
              strokeWidth={2}
              dot={{ r: 3, fill: "var(--color-base-100)" }}
              isAnimationActive={false}
            >
              <ErrorBar dataKey="reach" width={3} stroke="var(--color-primary)" direction="y" />
            </Line>
          </LineChart>
        </ResponsiveContainer>
      </div>
      <AsTable
        label="Shown by effect added"
        points={points}
        columns={[
          { name: "Effect added", value: (point) => -point.lift, text: (point) => effect(point.lift) },
          { name: "Shown", value: (point) => point.share, text: (point) => percent(point.share) },
          { name: "Twice the Monte Carlo error", value: (point) => point.reach, text: (point) => percent(point.reach) },
        ]}
      />
    </>
  );
}

const effect = (lift: number) => (lift === 0 ? "no effect" : `−${Number((lift * 100).toFixed(1))}%`);

function percent(value: number | undefined): string {
  return value === undefined ? "none" : `${Number((value * 100).toFixed(1))}%`;
}
