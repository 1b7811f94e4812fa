import { CartesianGrid, Line, LineChart, ResponsiveContainer, Tooltip, XAxis, YAxis } from "recharts";
import { HEIGHT, TICK } from "./drawing";
import { AsTable } from "./AsTable";
import type { RegionReading } from "../api/regions";
import { niceRange, niceTicks } from "../lib/axis";
import { weekday } from "../lib/format";
import type { Group } from "../sheets/regions/groups";

const COLOURS: Partial<Record<Group, string>> = {
  withheld: "var(--color-primary)",
  lower: "color-mix(in srgb, var(--color-primary) 45%, var(--color-base-100))",
  higher: "var(--color-primary)",
  control: "var(--color-neutral)",
};

interface Props {
  spend: RegionReading["spend"];
  title: (group: Group) => string;
  start: string;
  currency: string;
  height?: number;
}

/** Money a day where it is changed and where it goes on: planned dashed, spent in full. */
export function SpendPicture({ spend, title, start, currency, height = HEIGHT }: Props) {
  const groups = spend.flatMap(({ group }) => {
    const colour = COLOURS[group];
    return colour ? [{ group, title: title(group).toLowerCase(), colour }] : [];
  });
  const first = Date.parse(start);
  const days = spend[0]?.spent.length ?? 0;
  const of = (group: string) => spend.find((one) => one.group === group);
  const points = Array.from({ length: days }, (_, at) => ({
    number: at + 1,
    date: new Date(first + at * 86_400_000).toISOString().slice(0, 10),
    ...Object.fromEntries(
      groups.flatMap(({ group }) => [
        [`${group} planned`, of(group)?.planned[at] ?? null],
        [`${group} spent`, of(group)?.spent[at] ?? null],
      ]),
    ),
  }));
  const values = groups.flatMap(({ group }) => [...(of(group)?.planned ?? []), ...(of(group)?.spent ?? [])]);
  const range = niceRange([0, ...values]);
  const money = (value: number) => Math.round(value).toLocaleString("en-GB");
  return (
    <>
      <div
        role="img"
        aria-label={`${currency} a day, ${groups.map((one) => one.title).join(" and ")}, planned and spent, over ${days} days`}
      >
        <ResponsiveContainer width="100%" height={height}>
          <LineChart data={points} margin={{ top: 6, right: 24, bottom: 0, left: 0 }} accessibilityLayer={false}>
            <CartesianGrid vertical={false} stroke="var(--color-base-300)" strokeOpacity={0.6} />
            <XAxis
              dataKey="number"
              type="number"
              domain={[1, Math.max(days, 2)]}
              ticks={points.map((point) => point.number).filter((number) => number % 7 === 0)}
              tickFormatter={(number: number) => `day ${number}`}
              tick={TICK}
              axisLine={false}
              tickLine={false}
            />
            <YAxis
              domain={range}
              ticks={niceTicks(range, 4)}
              tickFormatter={money}
              tick={TICK}
              axisLine={false}
              tickLine={false}
              width={52}
            />
            {groups.flatMap(({ group, colour }) => [
              <Line
                key={`${group} planned`}
                dataKey={`${group} planned`}
                stroke={colour}
                strokeDasharray="4 3"
                strokeWidth={1.2}
                dot={false}
                isAnimationActive={false}
              />,
              <Line
                key={`${group} spent`}
                dataKey={`${group} spent`}
                stroke={colour}
                strokeWidth={2}
                dot={days < 3}
                isAnimationActive={false}
              />,
            ])}
            <Tooltip
              content={({ active, payload }) => {
                const point = payload?.[0]?.payload as (Record<string, number | null> & { date: string }) | undefined;
                if (!active || !point) return null;
                return (
                  <div className="sheet px-2 py-1 text-xs">
                    {weekday(point.date)}
                    {groups.map(({ group, title }) => (
                      <div key={group}>
                        {title}: {money(point[`${group} spent`] ?? 0)} spent, {money(point[`${group} planned`] ?? 0)}{" "}
                        planned
                      </div>
                    ))}
                  </div>
                );
              }}
            />
          </LineChart>
        </ResponsiveContainer>
        <p className="quiet flex h-6 items-center gap-4 text-xs" aria-hidden>
          {groups.map(({ group, title, colour }) => (
            <span key={group} className="flex items-center gap-1.5">
              <span className="inline-block h-0.5 w-5" style={{ background: colour }} /> {title}
            </span>
          ))}
          <span>dashed: planned</span>
        </p>
      </div>
      <AsTable
        label={`${currency} a day, planned and spent`}
        points={points}
        columns={[
          { name: "Day", value: (point) => point.date, text: (point) => weekday(point.date) },
          ...groups.flatMap(({ group, title }) =>
            (["spent", "planned"] as const).map((what) => {
              const value = (point: (typeof points)[number]) => of(group)?.[what][point.number - 1];
              return {
                name: `${title}, ${what}`,
                value,
                text: (point: (typeof points)[number]) => {
                  const one = value(point);
                  return one == null ? "none" : money(one);
                },
              };
            }),
          ),
        ]}
      />
    </>
  );
}
