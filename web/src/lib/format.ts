import type { Interval } from "../api/client";

const MINUS = "\u2212";

/** A relative figure with its sign: 0.084 → "+8.4%". Mirrors the core's wording. */
export function signed(value: number | null | undefined): string {
  if (value === null || value === undefined) return "not defined";
  const size = Math.abs(value) * 100;
  const text = size.toFixed(size >= 99.95 ? 0 : size >= 0.095 || size === 0 ? 1 : 2);
  if (Number(text) === 0) return "0%";
  return `${value > 0 ? "+" : MINUS}${text}%`;
}

/** The bounds of a lift as the server writes them, their unit left to the estimate beside them: "+3.1 to +13.9". */
export function bounds({ low_text, high_text }: Interval): string {
  return `${low_text.replace("%", "")} to ${high_text.replace("%", "")}`;
}

/** A rate with the decimals of its column. */
export function rate(value: number | null | undefined, decimals = 2): string {
  return value === null || value === undefined ? "–" : `${(value * 100).toFixed(decimals)}%`;
}

/** Decimals that show three figures of the smallest rate of a column. */
export function rateDecimals(rates: (number | null)[]): number {
  const smallest = Math.min(...rates.filter((value): value is number => value !== null && value > 0), 1);
  const size = smallest * 100;
  return size >= 10 ? 1 : size >= 1 ? 2 : Math.min(8, 2 - Math.floor(Math.log10(size)));
}

export function count(value: number): string {
  return Math.round(value).toLocaleString("en-GB").replace("-", "\u2212");
}

/** "0.034", "0.0018", "under 0.0001". */
export function pvalue(value: number): string {
  if (value < 0.0001) return "<0.0001";
  return value < 0.01 ? value.toPrecision(2) : value.toFixed(2);
}

/** A share as typed in a field: 0.05 → "5". */
export function percentText(value: number | null | undefined): string {
  return value === null || value === undefined ? "" : String(Number((value * 100).toPrecision(10)));
}

const DAY = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "long", timeZone: "UTC" });
const DAY_YEAR = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "long", year: "numeric", timeZone: "UTC" });
const WEEKDAY = new Intl.DateTimeFormat("en-GB", { weekday: "short", day: "numeric", month: "short", timeZone: "UTC" });

/** An ISO day (or moment) as "30 March", with the year when it is not this one. */
export function day(iso: string, today = new Date()): string {
  const date = new Date(iso);
  return (date.getUTCFullYear() === today.getUTCFullYear() ? DAY : DAY_YEAR).format(date);
}

export function weekday(iso: string): string {
  return WEEKDAY.format(new Date(iso));
}

/** A moment in the workspace's time zone. */
export function moment(iso: string, timeZone: string): string {
  const format = { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit", timeZone } as const;
  return new Intl.DateTimeFormat("en-GB", format).format(new Date(iso));
}

export function plural(number: number, word: string): string {
  return `${count(number)} ${word}${number === 1 ? "" : "s"}`;
}

/** A probability that never says it is certain: "98.6%", "over 99.9%". */
export function probability(chance: number): string {
  if (chance > 0.999) return "over 99.9%";
  return chance < 0.001 ? "under 0.1%" : `${(chance * 100).toFixed(1)}%`;
}

/** A probability, never rounded to certainty. */
export function chanceText(chance: number): string {
  if (chance < 0.005) return "< 1%";
  if (chance > 0.995) return "> 99%";
  return rate(chance, 0);
}

/** A size in bytes, as "3.2 MB". */
export function megabytes(bytes: number): string {
  const size = bytes / 2 ** 20;
  return size < 0.1 ? "less than 0.1 MB" : `${size < 10 ? size.toFixed(1) : count(Math.round(size))} MB`;
}
