import { describe, expect, it } from "vitest";
import { BLANK, type PadArm } from "./address";
import { pasteArms, type Field } from "./paste";

const arm = (changes: Partial<PadArm>): PadArm => ({ ...BLANK, ...changes });
const ARMS = [arm({ name: "Control", units: "1" }), arm({ name: "Larger" })];

describe("a table pasted into the Scratchpad", () => {
  it.each<[string, string, Field, number, PadArm[]]>([
    [
      "fills from the field on, and has variants more as it needs them",
      "1000\t50\n990\t61\n980\t70",
      "units",
      0,
      [
        arm({ name: "Control", units: "1000", conversions: "50" }),
        arm({ name: "Larger", units: "990", conversions: "61" }),
        arm({ units: "980", conversions: "70" }),
      ],
    ],
    [
      "is read by its headings, in whatever order and language of exports, from wherever it is pasted",
      "Konversionen;Gruppe;Besucher;Coût\n50;Alt;1000;77\n61;Neu;990;99",
      "conversions",
      0,
      [
        arm({ name: "Alt", units: "1000", conversions: "50", cost: "77" }),
        arm({ name: "Neu", units: "990", conversions: "61", cost: "99" }),
      ],
    ],
    [
      "leaves what it has no column for",
      "visitors\torders\n1000\t50",
      "name",
      1,
      [arm({ name: "Control", units: "1" }), arm({ name: "Larger", units: "1000", conversions: "50" })],
    ],
    [
      "has one field a column where a heading could be two",
      "impressions\tclicks\n1000\t50",
      "units",
      0,
      [arm({ name: "Control", units: "1000", conversions: "50" }), arm({ name: "Larger" })],
    ],
  ])("%s", (_what, text, field, row, expected) => {
    expect(pasteArms(ARMS, text, field, row)).toEqual(expected);
  });

  it.each<[string, string, Field, number, string]>([
    ["a heading that says nothing", "visitors\tmood\n1000\t50", "units", 0, "what is meant by mood?"],
    ["two columns of the same", "visitors\tusers\n1000\t50", "units", 0, "what is meant by users?"],
    ["more columns than there are fields", "1\t2\t3\t4\t5\t6", "units", 0, "what is meant by column 6 of 6?"],
    [
      "more rows than there are variants",
      "1\t2\n".repeat(10),
      "units",
      1,
      "10 rows from B on are more than 10 variants",
    ],
  ])("changes nothing with %s, and says why", (_what, text, field, row, why) => {
    expect(pasteArms(ARMS, text, field, row)).toContain(why);
  });

  it("of one cell is the browser’s own", () => {
    expect(pasteArms(ARMS, "1000", "units", 0)).toBeNull();
  });
});
