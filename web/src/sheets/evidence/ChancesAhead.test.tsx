import { cleanup, screen } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import { comparison, reading, show } from "../../test/kit";
import { ChancesAhead } from "./ChancesAhead";

afterEach(cleanup);

describe("the plain probability to be better than control", () => {
  it("opens how it is made, is never certain, and says what it does not mean", () => {
    const comparisons = [
      comparison({ chance: 0.98612 }),
      comparison({ letter: "C", chance: 0.99999 }),
      comparison({ letter: "D", chance: 0.00002 }),
    ];
    const chance_meaning = "By these counts alone; the rule does not decide by it.";
    show(<ChancesAhead reading={reading({ comparisons, chance_meaning })} experiment="fare-calendar" />);
    expect(screen.getByRole("button", { name: "98.6%" })).toBeTruthy();
    expect(screen.getByRole("button", { name: "over 99.9%" })).toBeTruthy();
    expect(screen.getByRole("button", { name: "under 0.1%" })).toBeTruthy();
    expect(screen.getByText(/the rule does not decide by it/)).toBeTruthy();
  });

  it("is left out where it is not for use", () => {
    show(<ChancesAhead reading={reading({ comparisons: [comparison({ chance: null })] })} experiment="x" />);
    expect(screen.queryByText(/Probability/)).toBeNull();
  });
});
