import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import { keys } from "../../api/keys";
import { experiment, serve, SESSION, show } from "../../test/kit";
import { EditingProvider } from "../editing";
import { FilesIn } from "./FilesIn";

afterEach(cleanup);
const PATH = "/experiments/fare-calendar";
const SEEN = {
  digest: "d1",
  decimal_mark: null,
  decimal_open: true,
  rows: 2,
  days: 1,
  first_day: "2026-03-02",
  last_day: "2026-03-02",
  totals: { cost: [52.5, 0] },
  changed: 1,
  currency: "EUR",
  ignored: ["agency"],
  wrong_count: 1,
  wrong: [{ line: 3, field: "cost", value: "52.104", reason: "may be 52.104 or 52,104" }],
  remarks: [],
  stored: false,
};

describe("a file of spend", () => {
  it("is shown first, its decimal mark chosen, then stored as it was shown", async () => {
    const read = { ...SEEN, digest: "d2", decimal_open: false, decimal_mark: ",", wrong_count: 0, wrong: [] };
    const calls = serve({
      [`POST ${PATH}/spend/preview`]: [{ body: SEEN }, { body: read }, { body: { ...read, currency: "CHF" } }],
      [`POST ${PATH}/spend`]: [{ status: 201, body: { ...read, stored: true } }],
    });
    const known = experiment();
    show(
      <EditingProvider experiment={known}>
        <FilesIn />
      </EditingProvider>,
      {
        known: [
          [keys.session, SESSION],
          [keys.experiment(known.key), known],
        ],
      },
    );
    fireEvent.change(screen.getByLabelText("Choose a file of costs"), {
      target: { files: [new File(["x"], "costs.csv")] },
    });
    await screen.findByText(/line 3: may be 52.104 or 52,104/);
    expect(screen.getByText("Cost in EUR: 52.5 in A, 0 in B")).toBeTruthy();
    expect(screen.getByText("Not used: agency")).toBeTruthy();
    expect(screen.getByText("Store spend")).toHaveProperty("disabled", true);
    fireEvent.change(screen.getByLabelText("decimals come after a"), { target: { value: "," } });
    await waitFor(() => expect(screen.getByText("Store spend")).toHaveProperty("disabled", false));
    fireEvent.change(screen.getByLabelText("Currency"), { target: { value: "chf" } });
    fireEvent.click(screen.getByText("Read it in CHF"));
    await screen.findByText("Cost in CHF: 52.5 in A, 0 in B");
    fireEvent.click(screen.getByText("Store spend"));
    await screen.findByText(/Stored: spend and impressions of 1 day/);
    expect(calls).toHaveLength(4);
  });
});

describe("a second count", () => {
  it("is named, shown first, then stored under its name", async () => {
    const read = {
      ...SEEN,
      source: "analytics",
      decimal_open: false,
      decimal_mark: null,
      wrong_count: 0,
      wrong: [],
      ignored: [],
      totals: { units: [980, 970] },
    };
    const calls = serve({
      [`POST ${PATH}/second-counts/preview`]: [{ body: read }],
      [`POST ${PATH}/second-counts`]: [{ status: 201, body: { ...read, stored: true } }],
    });
    const known = experiment({ state: "running", rule_locked_at: "2026-03-02T10:00Z" });
    show(
      <EditingProvider experiment={known}>
        <FilesIn />
      </EditingProvider>,
      {
        known: [
          [keys.session, SESSION],
          [keys.experiment(known.key), known],
        ],
      },
    );
    expect(screen.getByText("5% difference is tolerated, set before the start")).toBeTruthy();
    fireEvent.change(screen.getByLabelText("Counted by"), { target: { value: "analytics" } });
    fireEvent.change(screen.getByLabelText("Choose a file of a second count"), {
      target: { files: [new File(["x"], "statistics.csv")] },
    });
    await screen.findByText("Units: 980 in A, 970 in B");
    fireEvent.click(screen.getByText("Store the second count"));
    await screen.findByText(/Stored: 1 day counted by analytics/);
    expect(calls.map((call) => call.path)).toEqual([`${PATH}/second-counts/preview`, `${PATH}/second-counts`]);
  });
});

describe("a file of units", () => {
  it("asks for the decimal mark where its numbers do not show it, and is stored as it was read", async () => {
    const seen = {
      digest: "d1",
      decimal_mark: null,
      decimal_open: true,
      rows: 2,
      wrong_count: 1,
      wrong: [{ unit: "v1", variant: "A", day: "2026-03-02", reason: "fare may be read in two ways" }],
      repeated: 0,
      repeated_units: [],
      seen_already: "",
      replaces: [],
      never_counted: 0,
      first_day: "2026-03-02",
      last_day: "2026-03-02",
      metrics: ["fare per visitor"],
      ignored: [],
      units: [1, 1],
      totals: [[12, 8]],
      segments: 0,
      stored: false,
    };
    const read = { ...seen, decimal_open: false, decimal_mark: ",", wrong_count: 0, wrong: [] };
    const calls = serve({
      [`POST ${PATH}/unit-files/preview`]: [{ body: seen }, { body: read }],
      [`POST ${PATH}/unit-files`]: [{ status: 201, body: { ...read, stored: true } }],
    });
    const known = experiment();
    show(
      <EditingProvider experiment={known}>
        <FilesIn />
      </EditingProvider>,
      {
        known: [
          [keys.session, SESSION],
          [keys.experiment(known.key), known],
        ],
      },
    );
    fireEvent.change(screen.getByLabelText("Choose a file of units"), {
      target: { files: [new File(["x"], "units.csv")] },
    });
    await screen.findByText(/v1, A, 2026-03-02: fare may be read in two ways/);
    expect(screen.getByText("Store all but the wrong rows")).toHaveProperty("disabled", true);
    fireEvent.change(screen.getByLabelText("decimals come after a"), { target: { value: "," } });
    fireEvent.click(await screen.findByText("Store"));
    await screen.findByText(/Stored: 2 visitors/);
    expect(calls).toHaveLength(3);
  });
});
