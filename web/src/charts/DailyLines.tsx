import { LETTERS } from "../api/vocabulary";
import { CartesianGrid, Line, LineChart, ResponsiveContainer, Tooltip, XAxis, YAxis } from "recharts";
import { HEIGHT, TICK } from "./drawing";
import { AsTable } from "./AsTable";
import { niceRange, niceTicks } from "../lib/axis";
import { variantColour } from "../lib/variants";
import { useZone } from "../api/hooks";
import { moment, weekday } from "../lib/format";
import { noteLines, NotesOf } from "./noteLines";

interface Props {
  days: string[];
  /** One list of values a variant, control first; null where there is none. */
  values: (number | null)[][];
  format: (value: number) => string;
  label: string;
  height?: number;
  /** What changed elsewhere: a line on its day, shown on hover. */
  notes?: { day: string; text: string }[] | undefined;
  /** The days are hours. */
  hours?: boolean;
}

/** A line a variant over the days. */
export function DailyLines({ days, values, format, label, height = HEIGHT, notes = [], hours = false }: Props) {
  const points = days.map((date, index) => ({
    date,
    number: index + 1,
    ...Object.fromEntries(values.map((column, arm) => [`arm${arm}`, column[index] ?? null])),
  }));
  const zone = useZone();
  const phrase = (iso: string) => (hours ? moment(iso, zone) : weekday(iso));
  const written = (value: number | null | undefined) => (value == null ? "none" : format(value));
  const range = niceRange(values.flat().filter((value): value is number => value !== null));
  return (
    <>
      <div role="img" aria-label={label}>
        <ResponsiveContainer width="100%" height={height}>
          <LineChart data={points} margin={{ top: 6, right: 24, bottom: 0, left: 0 }} accessibilityLayer={false}>
            <CartesianGrid vertical={false} stroke="var(--color-base-300)" strokeOpacity={0.6} />
            <XAxis
              dataKey="number"
              type="number"
              domain={[1, Math.max(points.length, 2)]}
              ticks={points.map((p) => p.number).filter((n) => n % (hours ? 12 : 7) === 0)}
              tickFormatter={(n: number) => (hours ? phrase(points[n - 1]?.date ?? "") : `day ${n}`)}
              tick={TICK}
              axisLine={false}
              tickLine={false}
            />
            <YAxis
              tickFormatter={format}
              tick={TICK}
              axisLine={false}
              tickLine={false}
              width={52}
              domain={range}
              ticks={niceTicks(range, 4)}
            />
            {noteLines(days, notes)}
            {values.map((_, arm) => (
              <Line
                key={arm}
                dataKey={`arm${arm}`}
                stroke={variantColour(arm)}
                strokeWidth={1.8}
                strokeDasharray={arm === 0 ? "5 3" : undefined}
                dot={points.length < 3}
                isAnimationActive={false}
              />
            ))}
            <Tooltip
              content={({ active, payload }) => {
                const point = payload?.[0]?.payload as ({ date: string } & Record<string, number | null>) | undefined;
                if (!active || !point) return null;
                return (
                  <div className="sheet px-2 py-1 text-xs">
                    {phrase(point.date)}
                    <NotesOf day={point.date} notes={notes} />
                    {values.map((_, arm) => (
                      <div key={arm}>{`${LETTERS[arm]}: ${written(point[`arm${arm}`])}`}</div>
                    ))}
                  </div>
                );
              }}
            />
          </LineChart>
        </ResponsiveContainer>
      </div>
      <AsTable
        label={label}
        points={points}
        columns={[
          { name: hours ? "Hour" : "Day", value: (point) => point.date, text: (point) => phrase(point.date) },
          ...values.map((column, arm) => ({
            name: LETTERS[arm] ?? "",
            value: (point: (typeof points)[number]) => column[point.number - 1],
            text: (point: (typeof points)[number]) => written(column[point.number - 1]),
          })),
        ]}
      />
    </>
  );
}
