import { describe, expect, it } from "vitest";
import { canonical, fromCanonical, numberText, readNumber, shareText, twoMeanings } from "./numbers";

describe("a number that is typed", () => {
  it.each([
    // text, by an English hand, by a German one
    ["", null, null],
    ["  ", null, null],
    ["2900", 2900, 2900],
    ["10 %", 10, 10],
    ["4.2 %", 4.2, 4.2],
    ["4,2", 4.2, 4.2],
    ["1,234.5", 1234.5, 1234.5],
    ["1.234,5", 1234.5, 1234.5],
    ["12,345,678.25", 12345678.25, 12345678.25],
    ["12.345.678", 12345678, 12345678],
    ["1,234", 1234, 1.234],
    ["1.234", 1.234, 1234],
    ["8.000", 8, 8000],
    ["0.125", 0.125, 0.125],
    ["0,125", 0.125, 0.125],
    ["1 234,5", 1234.5, 1234.5],
    ["1\u202f234", 1234, 1234],
    ["1’234.5", 1234.5, 1234.5],
    ["\u22122", -2, -2],
    ["+3.5", 3.5, 3.5],
    [".5", 0.5, 0.5],
    ["1e4", 10000, 10000],
    ["8k", 8000, 8000],
    ["1.2M", 1200000, 1200000],
    ["1,2 k", 1200, 1200],
  ])("%j", (text, english, german) => {
    expect(readNumber(text, "en-GB")).toBe(english);
    expect(readNumber(text, "de-DE")).toBe(german);
  });

  it.each([
    "x",
    "12a",
    "1,23,4",
    "1.2.3",
    "1,2,3.4",
    "1.234,567.8",
    "--2",
    "5.",
    "2 %%",
    "1,234.567,8",
    "12,000.610.000",
    "8kk",
    "k",
  ])("%j is no number", (text) => expect(readNumber(text, "en-GB")).toBeNaN());

  it.each([
    ["8.000", "en-GB", [8, 8000]],
    ["120.000 %", "en-GB", [120, 120_000]],
    ["8,000", "de-DE", [8, 8000]],
    ["8,000", "en-GB", null],
    ["8.000", "de-DE", null],
    ["8.125", "en-GB", null],
    ["0.000", "en-GB", null],
    ["8.000.000", "en-GB", null],
    ["8000", "en-GB", null],
  ] as const)("%j in %s may mean %j", (text, locale, meanings) => {
    expect(twoMeanings(text, locale)).toEqual(meanings);
  });

  it.each(["en-GB", "de-DE", "fr-FR"])("is read again as it is shown in a field, in %s", (locale) => {
    for (const value of [0.125, 1.234, 8.001, 1234.5, -0.375, 29_000, 1e-7])
      expect(readNumber(numberText(value, locale), locale)).toBe(value);
    expect(readNumber(shareText(0.08125, locale), locale)).toBe(8.125);
  });

  it("reads alike for everybody once it is in an address", () => {
    expect(fromCanonical(canonical("1.234,5", "de-DE"))).toBe(1234.5);
    expect(fromCanonical(canonical("1.234", "de-DE"))).toBe(1234);
    expect(fromCanonical(canonical("1,234", "de-DE"))).toBe(1.234);
    expect(canonical("some", "de-DE")).toBe("some");
    expect(canonical(" ", "de-DE")).toBe("");
  });
});
