import { describe, expect, it } from "vitest";
import { interval, reading } from "../test/kit";
import { amount, figuresOf, inUnit, level, tickOf } from "./metrics";

describe("how figures of a metric are written", () => {
  it.each([
    [{ kind: "rate", unit: "percent", currency: "" }, [0.0512, 0.0551], 0.0512, "5.12%", "5.12%", "Rate"],
    [{ kind: "mean", unit: "money", currency: "EUR" }, [42.113, 44.5], 42.113, "42.11", "42.11 EUR", "Mean, EUR"],
    [{ kind: "mean", unit: "milliseconds", currency: "" }, [1812.4], 1812.4, "1,812", "1,812 ms", "Mean, ms"],
    [{ kind: "mean", unit: "number", currency: "" }, [0.3141], 0.3141, "0.314", "0.314", "Mean"],
    [
      { kind: "ratio", unit: "per_thousand", currency: "" },
      [0.0421],
      0.0421,
      "42.10",
      "42.10 per thousand",
      "Ratio, per thousand",
    ],
  ] as const)("%o", (metric, levels, value, short, full, head) => {
    const figures = figuresOf(metric, [...levels]);
    expect(figures.level(value)).toBe(short);
    expect(figures.full(value)).toBe(full);
    expect(figures.levelHead).toBe(head);
    expect(figures.level(null)).toBe("–");
  });

  it("writes levels of plans with their unit", () => {
    expect(level(0.042, undefined)).toBe("4.20%");
    expect(level(50.126, { is_rate: false, unit: "money", currency: "EUR" })).toBe("50.126 EUR");
    expect(amount({ is_rate: false, unit: "number", currency: "" })).toBe("");
  });

  it("writes negative levels with a minus sign", () => {
    expect(figuresOf({ kind: "mean", unit: "money", currency: "EUR" }, [-0.36]).level(-0.36)).toBe("\u22120.36");
  });
});

describe("effects on the scale of differences", () => {
  const profit = reading({ kind: "mean", unit: "money", currency: "EUR", scale: "difference", scale_unit: 2 });

  it("are written and copied in the metric's unit, not as parts of the planned level", () => {
    expect([-0.2, 0, 0.2].map(tickOf(profit) ?? String)).toEqual(["\u22120.40", "0.00", "+0.40"]);
    expect(inUnit(interval(0.1, 0.25, 0.4), profit)).toMatchObject({ low: 0.2, estimate: 0.5, high: 0.8 });
  });

  it("leave lifts as they are", () => {
    expect(tickOf(reading())).toBeUndefined();
    expect(inUnit(interval(0.1, 0.25, 0.4), reading())).toMatchObject({ estimate: 0.25 });
  });
});
