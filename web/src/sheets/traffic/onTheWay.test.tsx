import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import type { Stretches } from "../../api/client";
import { keys } from "../../api/keys";
import { experiment, serve, SESSION, show } from "../../test/kit";
import { FactorsPanel } from "../brief/FactorsPanel";
import { EditingProvider } from "../editing";
import { StretchesPanel } from "./StretchesPanel";

afterEach(cleanup);
const PATH = "/experiments/fare-calendar";
const SPLIT: Stretches = {
  stretches: [
    { number: 1, first: "2026-03-02", last: "2026-03-15", shares: [0.5, 0.5], awaited: [], units: [1400, 1400] },
    { number: 2, first: "2026-03-16", last: null, shares: [1, 0], awaited: [], units: [900, 0] },
  ],
  changes: [
    {
      number: 1,
      from_day: "2026-03-16",
      sentence: "B was stopped: it gets nobody new",
      stopped: "B",
      joined: "",
      reason: "errors",
      by: "Mona",
      at: "2026-03-16T10:00:00Z",
      stays: "This change holds already",
    },
  ],
  earliest_day: "2026-03-31",
  refused: "",
  join_refused: "This rule reads on the way",
  stop_refused: "Only one variant is left to compare with control: end the experiment instead",
  letters: [],
};

function open(split: Stretches, session = SESSION) {
  const known = experiment({ data_from: "events", rule_locked_at: "2026-03-02T08:00:00Z", state: "running" });
  show(
    <EditingProvider experiment={known}>
      <StretchesPanel />
    </EditingProvider>,
    {
      known: [
        [keys.session, session],
        [keys.experiment(known.key), known],
        [keys.split(known.key), split],
      ],
    },
  );
}

describe("the split on the way", () => {
  it("shows what each stretch had, and why nothing more can be stopped or withdrawn", () => {
    serve({});
    open(SPLIT);
    expect(screen.getByText("stopped")).toBeTruthy();
    expect(screen.getByText("2,800")).toBeTruthy();
    expect(screen.getByText("Stop a variant…")).toHaveProperty("disabled", true);
    expect(screen.getByText("Stop a variant…").title).toContain("end the experiment instead");
    expect(screen.queryByText("Withdraw")).toBeNull();
  });

  it("keeps what was typed when it is refused, and says why at the field", async () => {
    const message = "must be 31 March 2026 or later, so that a day has one split";
    const calls = serve({
      [`POST ${PATH}/split`]: [
        { status: 422, body: { title: "A value is not accepted", errors: [{ field: "from_day", message }] } },
      ],
    });
    open({ ...SPLIT, stretches: SPLIT.stretches.slice(0, 1), changes: [] });
    fireEvent.click(screen.getByText("Change the split…"));
    fireEvent.change(screen.getByLabelText("Weight of A from then on"), { target: { value: "80" } });
    fireEvent.change(screen.getByLabelText("Weight of B from then on"), { target: { value: "20" } });
    fireEvent.change(screen.getByLabelText(/^Why\?/), { target: { value: "less risk" } });
    fireEvent.click(screen.getByRole("button", { name: "Change the split" }));
    await waitFor(() => expect(screen.getByRole("alert").textContent).toContain(message));
    expect(calls[0]?.body).toMatchObject({ weights: [80, 20], from_day: "2026-03-31", reason: "less risk" });
    expect(screen.getByLabelText("Weight of A from then on")).toHaveProperty("value", "80");
    expect(screen.getByLabelText(/^Why\?/)).toHaveProperty("value", "less risk");
  });

  it("lets a variant join with what the others have, and says what is wrong with it", async () => {
    const message = "must say what is shown";
    const calls = serve({
      [`POST ${PATH}/joining-variants`]: [
        { status: 422, body: { title: "A value is not accepted", errors: [{ field: "variants.2.name", message }] } },
      ],
    });
    const first = { ...SPLIT.stretches[0]!, last: null };
    open({ ...SPLIT, stretches: [first], changes: [], join_refused: "" });
    fireEvent.click(screen.getByText("Let a variant join…"));
    fireEvent.change(screen.getByLabelText("Name of C"), { target: { value: "Map first" } });
    fireEvent.change(screen.getByLabelText("What it changes, one thing a line"), { target: { value: "a map\n\n" } });
    expect(screen.getByRole("status").textContent).toBe("That is A 33.3%, B 33.3%, C 33.3%.");
    fireEvent.change(screen.getByLabelText("Weight of C from then on"), { target: { value: "100" } });
    fireEvent.change(screen.getByLabelText(/^Why\?/), { target: { value: "an idea" } });
    fireEvent.click(screen.getByRole("button", { name: "Let C join" }));
    await waitFor(() => expect(screen.getByRole("alert").textContent).toContain(message));
    expect(calls[0]?.body).toMatchObject({
      variant: { name: "Map first", changes: ["a map"] },
      weights: [50, 50, 100],
      from_day: "2026-03-31",
      reason: "an idea",
    });
    expect(screen.getByLabelText("Name of C")).toHaveProperty("value", "Map first");
  });

  it("says of a variant without units whether it was stopped or is still to come", () => {
    serve({});
    const stretches = SPLIT.stretches.map((one, at) => ({ ...one, shares: at ? [0.5, 0.5] : [1, 0] }));
    open({ ...SPLIT, stretches: [{ ...stretches[0]!, awaited: ["B"] }, stretches[1]!] });
    expect(screen.getByText("joins later")).toBeTruthy();
    expect(screen.getByText("Let a variant join…").title).toBe("This rule reads on the way");
  });

  it("is read by a stakeholder, who changes nothing", () => {
    serve({});
    open(SPLIT, { ...SESSION, account: { ...SESSION.account, role: "stakeholder", may_edit: false } });
    expect(screen.getByText("B was stopped: it gets nobody new")).toBeTruthy();
    expect(screen.queryByText("Change the split…")).toBeNull();
  });
});

describe("several factors", () => {
  it("are sent as a whole, and what is typed stays through a refusal", async () => {
    const calls = serve({
      [`PATCH ${PATH}`]: [
        {
          status: 422,
          body: {
            title: "A value is not accepted",
            errors: [{ field: "factors.levels", message: "must be 2 or more" }],
          },
        },
      ],
    });
    const known = experiment({});
    show(
      <EditingProvider experiment={known}>
        <FactorsPanel />
      </EditingProvider>,
      {
        known: [
          [keys.session, SESSION],
          [keys.experiment(known.key), known],
        ],
      },
    );
    fireEvent.click(screen.getByText("Test several factors…"));
    fireEvent.change(screen.getByLabelText("Factor 1"), { target: { value: "photo" } });
    fireEvent.change(screen.getByLabelText("Levels of factor 1, the base first"), { target: { value: "a, b, c, d" } });
    fireEvent.change(screen.getByLabelText("Factor 2"), { target: { value: "badge" } });
    fireEvent.change(screen.getByLabelText("Levels of factor 2, the base first"), { target: { value: "x, y, z" } });
    expect(screen.getByRole("status").textContent).toContain(
      "12 combinations, each a variant: at most 10 can be tested",
    );
    expect(screen.getByText("Make the variants")).toHaveProperty("disabled", true);
    fireEvent.change(screen.getByLabelText("Levels of factor 2, the base first"), { target: { value: "x" } });
    fireEvent.click(screen.getByText("Make the variants"));
    await waitFor(() => expect(screen.getByRole("alert").textContent).toContain("must be 2 or more"));
    expect(calls[0]?.body).toMatchObject({
      changes: {
        factors: [
          { name: "photo", levels: ["a", "b", "c", "d"] },
          { name: "badge", levels: ["x"] },
        ],
      },
    });
    expect(screen.getByLabelText("Levels of factor 1, the base first")).toHaveProperty("value", "a, b, c, d");
  });
});
