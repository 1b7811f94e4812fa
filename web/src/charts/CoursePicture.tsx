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
import type { RegionArm } from "../api/regions";
import { niceRange, niceTicks } from "../lib/axis";
import { day, weekday } from "../lib/format";
import { noteLines, NotesOf } from "./noteLines";

const SHOWN = 28; // days before the start that are drawn

interface Props {
  course: NonNullable<RegionArm["course"]>;
  testDays: number;
  confidence: string;
  what: "days" | "sum";
  height?: number;
  notes?: { day: string; text: string }[] | undefined;
}

/** What the treated regions had against what their partners lead to expect: day by day, or as a running sum since the start. */
export function CoursePicture({ course, testDays, confidence, what, height = HEIGHT, notes = [] }: Props) {
  const from = what === "days" ? Math.max(course.start - SHOWN, 0) : course.start;
  const date = (place: number) => new Date(Date.parse(course.first) + place * 86_400_000).toISOString().slice(0, 10);
  const points = course.observed.slice(from).map((observed, index) => {
    const place = from + index;
    const since = place - course.start;
    const days = what === "days";
    return {
      number: index + 1,
      date: date(place),
      observed: days ? observed : (course.running[since] ?? null),
      expected: days ? (course.expected[place] ?? null) : 0,
      band: days
        ? [course.low[place] ?? 0, course.high[place] ?? 0]
        : [course.running_low[since] ?? 0, course.running_high[since] ?? 0],
    };
  });
  const range = niceRange(points.flatMap((point) => [point.observed ?? 0, ...point.band]));
  const begin = course.start - from + 1;
  const last = points.length;
  const end = Math.min(begin + testDays, last);
  const ticks = points.map((point) => point.number).filter((number) => (number - begin) % 7 === 0);
  const write = (value: number) => Math.round(value).toLocaleString("en-GB").replace("-", "−");
  const written = (value: number | null) => (value === null ? "none" : write(value));
  const final = points.at(-1);
  return (
    <>
      <div
        role="img"
        aria-label={
          what === "days"
            ? `Observed and expected by day; on the last ${write(final?.observed ?? 0)} observed, ${write(final?.expected ?? 0)} expected`
            : `Running sum of observed less expected; at the end ${write(final?.observed ?? 0)}`
        }
      >
        <ResponsiveContainer width="100%" height={height}>
          <ComposedChart data={points} margin={{ top: 8, right: 24, bottom: 0, left: 0 }} accessibilityLayer={false}>
            <CartesianGrid vertical={false} stroke="var(--color-base-300)" strokeOpacity={0.6} />
            {begin <= last && (
              <ReferenceArea
                x1={begin}
                x2={end}
                fill="var(--color-primary)"
                fillOpacity={0.07}
                label={{ value: "withheld", position: "insideTopLeft", fontSize: 11, fill: "var(--color-neutral)" }}
              />
            )}
            {end < last && (
              <ReferenceArea
                x1={end}
                x2={last}
                fill="var(--color-neutral)"
                fillOpacity={0.08}
                label={{ value: "cool-down", position: "insideTopLeft", fontSize: 11, fill: "var(--color-neutral)" }}
              />
            )}
            <XAxis
              dataKey="number"
              type="number"
              domain={[1, Math.max(last, 2)]}
              ticks={ticks}
              tickFormatter={(number: number) => day(points[number - 1]?.date ?? "").replace(/ \d{4}$/, "")}
              tick={TICK}
              axisLine={false}
              tickLine={false}
              interval="preserveStartEnd"
            />
            <YAxis
              domain={range}
              ticks={niceTicks(range, 4)}
              tickFormatter={write}
              tick={TICK}
              axisLine={false}
              tickLine={false}
              width={64}
            />
            {noteLines(
              points.map((point) => point.date),
              notes,
            )}
            {what === "sum" && <ReferenceLine y={0} stroke="var(--color-base-content)" />}
            <Area
              dataKey="band"
              fill="var(--color-neutral)"
              fillOpacity={0.18}
              stroke="none"
              isAnimationActive={false}
              activeDot={false}
            />
            {what === "days" && (
              <Line
                dataKey="expected"
                stroke="var(--color-neutral)"
                strokeDasharray="4 3"
                strokeWidth={1.4}
                dot={false}
                isAnimationActive={false}
              />
            )}
            <Line
              dataKey="observed"
              stroke="var(--color-primary)"
              strokeWidth={2}
              dot={last < 3}
              isAnimationActive={false}
            />
            <Tooltip
              content={({ active, payload }) => {
                const point = payload?.[0]?.payload as (typeof points)[number] | undefined;
                if (!active || !point) return null;
                return (
                  <div className="sheet px-2 py-1 text-xs">
                    {weekday(point.date)}
                    <div>
                      {what === "days" ? "observed" : "since the start"} {write(point.observed ?? 0)}
                      {what === "days" && `, expected ${write(point.expected ?? 0)}`}
                    </div>
                    <div>
                      {confidence} by chance: {write(point.band[0] ?? 0)} to {write(point.band[1] ?? 0)}
                    </div>
                    <NotesOf day={point.date} notes={notes} />
                  </div>
                );
              }}
            />
          </ComposedChart>
        </ResponsiveContainer>
      </div>
      <AsTable
        label={what === "days" ? "Observed and expected by day" : "Running sum of observed less expected"}
        points={points}
        columns={[
          { name: "Day", value: (point) => point.date, text: (point) => weekday(point.date) },
          {
            name: what === "days" ? "Observed" : "Since the start",
            value: (point) => point.observed,
            text: (point) => written(point.observed),
          },
          ...(what === "days"
            ? [
                {
                  name: "Expected",
                  value: (point: (typeof points)[number]) => point.expected,
                  text: (point: (typeof points)[number]) => written(point.expected),
                },
              ]
            : []),
          {
            name: `${confidence} by chance, from`,
            value: (point) => point.band[0],
            text: (point) => write(point.band[0] ?? 0),
          },
          { name: "to", value: (point) => point.band[1], text: (point) => write(point.band[1] ?? 0) },
        ]}
      />
    </>
  );
}
