import { interval } from "../test/kit";
import { describe, expect, it } from "vitest";
import { bounds, count, day, percentText, pvalue, rate, rateDecimals, signed } from "./format";

describe("figures as text", () => {
  it.each([
    [0.084, "+8.4%"],
    [-0.063, "−6.3%"],
    [0, "0%"],
    [0.0004, "+0.04%"],
    [1.2, "+120%"],
    [null, "not defined"],
  ])("writes %s as the core does", (value, text) => expect(signed(value)).toBe(text));

  it("shows a bound without limit", () => {
    expect(bounds({ ...interval(0.031, 0.2, null), high_text: "no limit" })).toBe("+3.1 to no limit");
  });

  it("gives a column of rates the decimals of its smallest", () => {
    expect(rateDecimals([0.0508, 0.0551])).toBe(2);
    expect(rateDecimals([0.5, 0.6])).toBe(1);
    expect(rateDecimals([0.003, null])).toBe(3);
    expect(rate(0.0508, 2)).toBe("5.08%");
    expect(rate(null)).toBe("–");
  });

  it("never writes p as zero", () => {
    expect(pvalue(1e-9)).toBe("<0.0001");
    expect(pvalue(0.0018)).toBe("0.0018");
    expect(pvalue(0.5)).toBe("0.50");
  });

  it("names the year only when it is another one", () => {
    const now = new Date("2026-11-23T00:00:00Z");
    expect(day("2026-03-30", now)).toBe("30 March");
    expect(day("2025-03-30", now)).toBe("30 March 2025");
  });

  it("sets thousands apart", () => expect(count(41433)).toBe("41,433"));
});

it("shows a share without rounding noise", () => expect(percentText(0.07)).toBe("7"));
