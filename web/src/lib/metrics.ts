import type { Interval, MetricUse, Reading } from "../api/client";
import { count, rate, rateDecimals } from "./format";

type Shown = Pick<MetricUse, "is_rate" | "unit" | "currency">;

export function capital(text: string): string {
  return `${text[0]?.toUpperCase() ?? ""}${text.slice(1)}`;
}

/** The unit behind a figure of a metric that is no rate. */
export function amount(metric: Shown): string {
  return { money: metric.currency, milliseconds: "ms", per_thousand: "each" }[metric.unit] ?? "";
}

/** A level of a metric with its unit: 4.2%, 50.13 EUR. */
export function level(value: number, metric: Shown | undefined): string {
  if (!metric || metric.is_rate) return rate(value);
  const figure = value.toLocaleString("en-GB", { maximumSignificantDigits: 5 });
  return `${figure} ${amount(metric)}`.trim();
}

type Figured = Pick<Reading, "kind" | "unit" | "currency">;

/** Whether a level is read from how many units have which value, and not from a sum. */
export function isQuantile(kind: Reading["kind"]): boolean {
  return !["rate", "mean", "ratio"].includes(kind);
}

export interface Figures {
  /** Heads of the columns of totals and levels. */
  totalHead: string;
  levelHead: string;
  total: (value: number) => string;
  level: (value: number | null) => string;
  /** A level with its unit, for running text. */
  full: (value: number | null) => string;
}

/** How the totals and levels of a metric are written, with the same decimals for all of `levels`. */
export function figuresOf(metric: Figured, levels: (number | null)[]): Figures {
  if (metric.kind === "rate") {
    const decimals = rateDecimals(levels);
    const level = (value: number | null) => rate(value, decimals);
    return { totalHead: "Converted", levelHead: "Rate", total: count, level, full: level };
  }
  const scale = metric.unit === "per_thousand" ? 1000 : 1;
  const largest = Math.max(...levels.map((value) => Math.abs(value ?? 0)), 0) * scale;
  const decimals =
    metric.unit === "money" && largest < 1000 ? 2 : largest >= 1000 ? 0 : largest >= 10 ? 2 : largest >= 0.1 ? 3 : 5;
  const written = (value: number) =>
    value
      .toLocaleString("en-GB", { minimumFractionDigits: decimals, maximumFractionDigits: decimals })
      .replace("-", "\u2212");
  const level = (value: number | null) => (value === null ? "–" : written(value * scale));
  const unit = { money: metric.currency, milliseconds: "ms", per_thousand: "per thousand" }[metric.unit] ?? "";
  return {
    totalHead: metric.kind === "ratio" ? "Numerator" : isQuantile(metric.kind) ? "With a value" : "Total",
    levelHead: `${capital(metric.kind)}${unit ? `, ${unit}` : ""}`,
    total: (value) => count(value),
    level,
    full: (value) => `${level(value)}${unit ? ` ${unit}` : ""}`,
  };
}

/** How the ticks of an axis of effects are written: as lifts, or on the scale of differences in the metric's unit. */
export function tickOf(reading: Reading): ((tick: number) => string) | undefined {
  if (reading.scale !== "difference") return undefined;
  const figures = figuresOf(
    reading,
    reading.arms.map((arm) => arm.rate.estimate),
  );
  return (tick) => `${tick > 0 ? "+" : tick < 0 ? "\u2212" : ""}${figures.level(Math.abs(tick) * reading.scale_unit)}`;
}

/** An effect as numbers to be copied: a lift as it is, a difference in the metric's unit and not as a part of the planned level. */
export function inUnit(effect: Interval, { scale, scale_unit }: Reading): Interval {
  if (scale !== "difference") return effect;
  const times = (value: number | null) => (value === null ? null : value * scale_unit);
  return { ...effect, estimate: times(effect.estimate), low: times(effect.low), high: times(effect.high) };
}
