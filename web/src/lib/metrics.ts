import type { MetricUse } from "../api/client";
import { rate } from "./format";

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
