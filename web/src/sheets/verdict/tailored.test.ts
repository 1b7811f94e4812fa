import { describe, expect, it } from "vitest";
import { tailoredLines } from "./tailored";

const choice = (combination: string, letter: string) => ({ combination, letter, chance: 0.9, units: 100 });

describe("a rollout by combination", () => {
  it("gives each its best, and everybody else what is best for all", () => {
    const lines = tailoredLines({
      choices: [choice("device=phone & visitor=new", "B"), choice("device=tablet & visitor=a=b", "A")],
      best: "C",
    });
    expect(lines.map(({ name, letter }) => [name, letter])).toEqual([
      ["phone, new", "B"],
      ["tablet, a=b", "A"],
      ["Everybody else", "C"],
    ]);
    expect(lines[1]?.rules).toEqual([
      {
        kind: "all",
        conditions: [
          { attribute: "device", operator: "is", values: ["tablet"], kind: "text" },
          { attribute: "visitor", operator: "is", values: ["a=b"], kind: "text" },
        ],
      },
    ]);
  });

  it("leaves what no rule can say to everybody else, takes a cut value by its beginning, and keeps to the lines there may be", () => {
    const long = "x".repeat(24);
    const lines = tailoredLines({
      choices: [choice("device=(not known)", "B"), choice(`device=${long}`, "B")],
      best: "A",
    });
    expect(lines).toHaveLength(2);
    expect(lines[0]?.rules[0]?.conditions[0]).toMatchObject({ operator: "starts_with", values: [long] });
    const many = Array.from({ length: 50 }, (_, at) => choice(`device=d${at}`, "B"));
    expect(tailoredLines({ choices: many, best: "B" })).toHaveLength(20);
  });
});
