import { interval } from "../test/kit";
import { describe, expect, it } from "vitest";
import {
  BLANK,
  parseSplit,
  readArms,
  readCounts,
  readSize,
  writeCounts,
  writeSize,
  RULE,
  SIZE,
} from "../scratchpad/address";
import { calmRange, legible, niceRange, sharedAxis } from "./axis";
import { gridAsCsv, layOver, pastedCells } from "./paste";

const lift = interval;

describe("labels next to each other", () => {
  const wide = () => 30;
  it.each([
    { of: "with room enough, all", ticks: [-0.1, 0, 0.1], pixels: 400, shown: [-0.1, 0, 0.1] },
    {
      of: "too near each other, those nearer to zero",
      ticks: [-0.1, -0.05, 0, 0.05, 0.1],
      pixels: 400,
      shown: [-0.1, 0, 0.1],
    },
    { of: "with no room but for one, zero", ticks: [-0.1, 0, 0.1], pixels: 100, shown: [0] },
  ])("$of stay", ({ ticks, pixels, shown }) => {
    expect(legible(ticks, (tick) => tick * pixels, wide)).toEqual(shown);
  });
});

describe("the shared axis of strips", () => {
  it("holds zero, the band and the intervals", () => {
    const { domain } = sharedAxis([lift(0.02, 0.05, 0.08), lift(-0.1, -0.06, -0.02)], 0.03);
    expect(domain[0]).toBeLessThan(-0.1);
    expect(domain[1]).toBeGreaterThan(0.08);
  });

  it("is not flattened by one wild interval", () => {
    const calm = Array.from({ length: 8 }, () => lift(-0.02, 0.01, 0.04));
    const { domain } = sharedAxis([...calm, lift(-0.9, 2, 9)], 0.03);
    expect(domain[1]).toBeLessThan(0.5);
  });

  it("stands without any interval", () => {
    const { domain, ticks } = sharedAxis([null, undefined], 0.05);
    expect(domain[0]).toBeLessThan(-0.05);
    expect(ticks).toContain(0);
  });

  it("leaves the wild first days out of the range over time", () => {
    const [low, high] = calmRange([-0.9, -0.2, -0.02, -0.01], [5, 0.4, 0.1, 0.09], 0.03);
    expect(low).toBeGreaterThanOrEqual(-0.3);
    expect(high).toBeLessThan(0.6);
  });

  it("starts from zero unless the values are far above", () => {
    expect(niceRange([10, 100])[0]).toBe(0);
    expect(niceRange([1000, 1010])[0]).toBeGreaterThan(900);
    expect(niceRange([])).toEqual([0, 1]);
    const [low, high] = niceRange([-0.9, 0.9]);
    expect(low).toBeLessThanOrEqual(-0.9);
    expect(high).toBeGreaterThanOrEqual(0.9);
  });
});

describe("pasting from a spreadsheet", () => {
  it("splits rows and tabs, and commas where there are no tabs", () => {
    expect(pastedCells("a\tb\r\nc\td\r\n")).toEqual([
      ["a", "b"],
      ["c", "d"],
    ]);
    expect(pastedCells("2026-03-02,A,100,5")).toEqual([["2026-03-02", "A", "100", "5"]]);
    expect(pastedCells("41,433")).toEqual([["41,433"]]);
  });

  it("grows downwards, never sideways", () => {
    expect(
      layOver(
        [["", ""]],
        [
          ["1", "2", "3"],
          ["4", "5", "6"],
        ],
        0,
        1,
      ),
    ).toEqual([
      ["", "1"],
      ["", "4"],
    ]);
  });

  it("leaves as CSV without empty rows", () => {
    expect(
      gridAsCsv(
        ["day", "units"],
        [
          ["2026-03-02", "1,000"],
          ["", ""],
        ],
      ),
    ).toBe('day,units\n2026-03-02,"1,000"');
    const typed = ["2026-03-02", "1000", ""];
    expect(gridAsCsv(["day", "units", "squares"], [typed])).toBe("day,units\n2026-03-02,1000");
  });
});

describe("the scratchpad's address", () => {
  it("gives back what was typed", () => {
    const arms = [
      { ...BLANK, name: "Old & new", units: "41,433", conversions: "2104", cost: "1.200,50" },
      { ...BLANK, units: "5%" },
    ];
    const params = new URLSearchParams(
      writeCounts(arms, { ...RULE, confidence: "90", question: "equivalence" }).toString(),
    );
    expect(readCounts(params)).toEqual({ arms, rule: { ...RULE, confidence: "90", question: "equivalence" } });
    expect(readCounts(new URLSearchParams("question=which")).rule.question).toBe(RULE.question);
    const size = { ...SIZE, rate: "4.2", question: "noninferiority" as const };
    expect(readSize(new URLSearchParams(writeSize(size).toString()))).toEqual(size);
  });

  it.each([
    ["", 3, [1, 1, 1]],
    ["70:30", 2, [70, 30]],
    ["2 / 3 / 1", 3, [2, 3, 1]],
    ["70:30", 3, null],
    ["70:0", 2, null],
    ["half", 2, null],
  ])("reads the split %j of %i arms", (text, arms, weights) => expect(parseSplit(text, arms)).toEqual(weights));

  it("always has two arms and at most ten", () => {
    expect(readArms(new URLSearchParams())).toHaveLength(2);
    expect(readArms(new URLSearchParams(Array.from({ length: 12 }, () => ["arm", "x~1~1"])))).toHaveLength(10);
  });
});
