import {
  Area,
  CartesianGrid,
  ComposedChart,
  Line,
  ReferenceArea,
  ReferenceLine,
  ResponsiveContainer,
  Tooltip,
  XAxis,
  YAxis,
} from "recharts";
import { HEIGHT, TICK } from "./drawing";
import { AsTable } from "./AsTable";
import type { Evidence } from "../api/client";
import { calmRange, niceTicks } from "../lib/axis";
import { day, signed } from "../lib/format";
import { noteLines, NotesOf } from "./noteLines";

interface Props {
  days: string[];
  series: Evidence["series"][number];
  worthwhile: number;
  colour: string;
  height?: number;
  /** What changed elsewhere: a line on its day, shown on hover. */
  notes?: { day: string; text: string }[] | undefined;
}

const ENDS = { estimate: "Lift", low: "Lower end", high: "Upper end" };

export function LiftOverTime({ days, series, worthwhile, colour, height = HEIGHT, notes = [] }: Props) {
  const [bottom, top] = calmRange(series.low, series.high, worthwhile);
  const clip = (value: number | null | undefined) => Math.min(Math.max(value ?? top, bottom), top);
  const points = days.map((date, index) => ({
    date,
    number: index + 1,
    estimate: series.estimate[index] ?? null,
    band: series.low[index] == null ? null : [clip(series.low[index]), clip(series.high[index])],
    figures: `${signed(series.estimate[index])} (${signed(series.low[index])} to ${signed(series.high[index])})`,
  }));
  const weeks = points.map((point) => point.number).filter((number) => number % 7 === 0);
  return (
    <>
      <div
        role="img"
        aria-label={`Lift of ${series.letter} with the data up to each day; at the end ${points.at(-1)?.figures}`}
      >
        <ResponsiveContainer width="100%" height={height}>
          <ComposedChart data={points} margin={{ top: 6, right: 24, bottom: 0, left: 0 }} accessibilityLayer={false}>
            <CartesianGrid vertical={false} stroke="var(--color-base-300)" strokeOpacity={0.6} />
            <ReferenceArea y1={-worthwhile} y2={worthwhile} fill="var(--band)" fillOpacity={1} />
            <XAxis
              dataKey="number"
              type="number"
              domain={[1, points.length]}
              ticks={weeks}
              tickFormatter={(n: number) => `day ${n}`}
              tick={TICK}
              axisLine={false}
              tickLine={false}
            />
            <YAxis
              domain={[bottom, top]}
              allowDataOverflow
              ticks={niceTicks([bottom, top])}
              tickFormatter={(v: number) => signed(v).replace(".0%", "%")}
              tick={TICK}
              axisLine={false}
              tickLine={false}
              width={52}
            />
            {noteLines(days, notes)}
            <ReferenceLine y={0} stroke="var(--color-base-content)" />
            <Area
              dataKey="band"
              fill={colour}
              fillOpacity={0.18}
              stroke="none"
              isAnimationActive={false}
              activeDot={false}
            />
            <Line dataKey="estimate" stroke={colour} strokeWidth={2} dot={false} isAnimationActive={false} />
            <Tooltip
              content={({ active, payload }) => {
                const point = payload?.[0]?.payload as (typeof points)[number] | undefined;
                if (!active || !point) return null;
                return (
                  <div className="sheet px-2 py-1 text-xs">
                    {day(point.date)}, day {point.number}: {point.figures}
                    <NotesOf day={point.date} notes={notes} />
                  </div>
                );
              }}
            />
          </ComposedChart>
        </ResponsiveContainer>
      </div>
      <AsTable
        label={`Lift of ${series.letter} by day`}
        points={points}
        columns={[
          { name: "Day", value: (point) => point.date, text: (point) => `${day(point.date)}, day ${point.number}` },
          ...(["estimate", "low", "high"] as const).map((what) => ({
            name: ENDS[what],
            value: (point: (typeof points)[number]) => series[what][point.number - 1],
            text: (point: (typeof points)[number]) => signed(series[what][point.number - 1]),
          })),
        ]}
      />
    </>
  );
}
