import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { afterEach, describe, expect, it } from "vitest";
import { keys } from "../../api/keys";
import type { RegionPlan, SpendingCalendar } from "../../api/regions";
import { experiment, serve, SESSION, show } from "../../test/kit";
import { EditingProvider } from "../editing";
import { CalendarPanel } from "./CalendarPanel";
import { RegionPlanning } from "./planning";
import { RegionBrief } from "./RegionBrief";
import { RegionSizing } from "./RegionSizing";
import { RegionTraffic } from "./RegionTraffic";
import { money, share } from "./words";

afterEach(cleanup);
const NAMES = ["Brelmouth", "Corvstead", "Daskwick", "Elmham"];

function plan(changes: Partial<RegionPlan> = {}): RegionPlan {
  const design = {
    base_days: 70,
    outcome_share: 0.5,
    spend_share: 0.48,
    spend: 41_600,
    fit: 0.97,
    smallest_lift: 0.024,
  };
  return {
    version: 3,
    tested: "Posters",
    outcome: "fares",
    groups: [],
    currency: "EUR",
    break_even: 2.5,
    cool_down: 1,
    lower: null,
    higher: null,
    leak_limit: 0.1,
    same_within: 0,
    less_is_better: [],
    locked_at: null,
    missing_for_start: [],
    has_desk: false,
    desk_reference: "",
    handed_over_at: null,
    confidence: 0.95,
    power: 0.8,
    excluded: ["Elmham"],
    must: [],
    listed: [],
    pairs: 7,
    weeks: 4,
    past: {
      file: "past.csv",
      rows: 5840,
      regions: 16,
      first: "2024-11-01",
      last: "2026-10-31",
      days: 730,
      outcomes: ["fares", "new_passengers"],
      groups: [],
      left_out: ["Fennvale"],
      ignored: [],
      missing_is_zero: false,
      counts: { gap: 1 },
      findings: [{ kind: "gap", region: "Fennvale", day: "2026-02-03", days: 3, outcome: "", size: 0 }],
    },
    regions: NAMES,
    matched: [{ first: "Brelmouth", second: "Corvstead", distance: 0.31 }],
    without_partner: ["Daskwick"],
    balance: [{ feature: "level", any_two: 1.1, paired: 0.2 }],
    designs: [2, 4].flatMap((weeks) => [{ ...design, pairs: 7, weeks, smallest_return: 4 / weeks, cost: 104_000 }]),
    problem: "",
    least_pvalue: 2 / 2 ** 7,
    cells: null,
    ...changes,
  };
}

const CELLS: NonNullable<RegionPlan["cells"]> = {
  seed: 7,
  at: "2026-11-01T09:00:00Z",
  pairs: [{ arm: "withheld", treated: "Brelmouth", control: "Corvstead" }],
  not_analysed: ["Daskwick", "Elmham", "Fennvale"],
};

function open(part: React.ReactNode, shown = plan(), calendar: SpendingCalendar | null = null) {
  const made = experiment({ by_region: true });
  return show(
    <Routes>
      <Route path="/experiments/:key/:sheet" element={<EditingProvider experiment={made}>{part}</EditingProvider>} />
    </Routes>,
    {
      address: "/experiments/fare-calendar/sizing",
      known: [
        [keys.session, SESSION],
        [keys.experiment("fare-calendar"), made],
        [keys.regions("fare-calendar"), shown],
        [keys.placebo("fare-calendar"), { placebo: null }],
        [keys.spendingCalendar("fare-calendar"), { calendar }],
      ],
    },
  );
}

const EDIT = "PATCH /experiments/fare-calendar/regions";
const AFTER = { "GET /experiments/fare-calendar/regions/placebo": Array(8).fill({ body: { placebo: null } }) };

describe("the plan of a test by region", () => {
  it("drops a region that was kept out, and brings it back with the design it had", async () => {
    const calls = serve({
      ...AFTER,
      [EDIT]: [{ body: plan({ version: 4, excluded: [], pairs: null, weeks: null }) }, { body: plan({ version: 5 }) }],
    });
    open(<RegionSizing />);
    fireEvent.click(screen.getByRole("button", { name: "Kept out: remove Elmham" }));
    fireEvent.click(await screen.findByRole("button", { name: "Undo" }));
    await waitFor(() => expect(calls.filter((call) => call.method === "PATCH")).toHaveLength(2));
    expect(calls.filter((call) => call.method === "PATCH").map((call) => call.body)).toEqual([
      { version: 3, changes: { excluded: [], pairs: null, weeks: null } },
      { version: 4, changes: { excluded: ["Elmham"], pairs: 7, weeks: 4 } },
    ]);
  });

  it("names the line of a list of pairs that has no two regions, and sends nothing", () => {
    const calls = serve(AFTER);
    open(<RegionSizing />);
    const list = screen.getByLabelText("Pairs, two regions a line");
    fireEvent.change(list, { target: { value: "Brelmouth, Corvstead\nDaskwick" } });
    fireEvent.click(screen.getByRole("button", { name: "Use these pairs" }));
    expect(screen.getByRole("alert").textContent).toContain("Line 2 (Daskwick) must have two regions");
    expect(calls.filter((call) => call.method === "PATCH")).toEqual([]);
    expect(list).toHaveProperty("value", "Brelmouth, Corvstead\nDaskwick");
  });

  it("shows the wrong lines of a file, how many there are, and that nothing was kept", async () => {
    serve({
      ...AFTER,
      "POST /experiments/fare-calendar/regions/past": [
        {
          status: 409,
          body: {
            title: "60 rows of the file are wrong",
            wrong_count: 60,
            wrong: [{ line: 9, column: "spend", value: "-3", reason: "must be 0 or more" }],
          },
        },
      ],
    });
    open(<RegionSizing />);
    fireEvent.change(screen.getByLabelText("File of past data"), { target: { files: [new File(["x"], "past.csv")] } });
    const alert = await screen.findByRole("alert");
    expect(alert.textContent).toContain("60 lines are wrong; nothing of the file was kept");
    expect(alert.textContent).toContain("line 9, spend “-3”: must be 0 or more");
    expect(alert.textContent).toContain("and 59 more");
  });

  it("counts some product groups, or all when all are ticked again", async () => {
    const shown = plan({ past: { ...plan().past!, groups: ["day trips", "overnight"] } });
    const calls = serve({
      ...AFTER,
      [EDIT]: [{ body: { ...shown, version: 4, groups: ["overnight"] } }, { body: { ...shown, version: 5 } }],
    });
    open(<RegionBrief />, shown);
    fireEvent.click(screen.getByLabelText("day trips"));
    await waitFor(() => expect(screen.getByLabelText("overnight")).toHaveProperty("disabled", true)); // one is left at least
    fireEvent.click(screen.getByLabelText("day trips"));
    await waitFor(() => expect(calls.filter((call) => call.method === "PATCH")).toHaveLength(2));
    expect(calls.filter((call) => call.method === "PATCH").map((call) => call.body)).toEqual([
      { version: 3, changes: { groups: ["overnight"], pairs: null, weeks: null } },
      { version: 4, changes: { groups: [], pairs: null, weeks: null } },
    ]);
  });

  it("turns a margin into the return from which it pays", async () => {
    const calls = serve({ ...AFTER, [EDIT]: [{ body: plan({ version: 4, break_even: 4 }) }] });
    open(<RegionBrief />);
    const margin = screen.getByLabelText("Margin from which it follows");
    expect(margin).toHaveProperty("value", "40");
    fireEvent.change(margin, { target: { value: "25" } });
    fireEvent.blur(margin);
    await waitFor(() => expect(calls.find((call) => call.method === "PATCH")).toBeTruthy());
    expect(calls.find((call) => call.method === "PATCH")?.body).toEqual({ version: 3, changes: { break_even: 4 } });
  });

  it("cannot be changed once the cells are drawn, and offers the lists that have somebody", () => {
    open(<RegionSizing />, plan({ cells: CELLS }));
    expect(screen.queryByLabelText("File of past data")).toBeNull();
    expect(screen.queryByRole("button", { name: "Kept out: remove Elmham" })).toBeNull();
    cleanup();
    open(<RegionTraffic />, plan({ cells: { ...CELLS, not_analysed: [] } }));
    expect(screen.getAllByRole("link").map((link) => link.textContent)).toEqual([
      "Withheld (1), CSV",
      "As usual (1), CSV",
    ]);
  });

  it("has a list for each level of a graded test", () => {
    const pairs = [
      { arm: "lower" as const, treated: "Brelmouth", control: "Corvstead" },
      { arm: "higher" as const, treated: "Elmham", control: "Fennvale" },
    ];
    const lists = open(<RegionTraffic />, plan({ lower: 0.5, higher: 1.5, cells: { ...CELLS, pairs } }));
    expect([...lists.container.querySelectorAll("a[download]")].map((link) => link.getAttribute("href"))).toEqual(
      ["lower", "higher", "control", "not-analysed"].map(
        (name) => `/api/v1/experiments/fare-calendar/regions/lists/${name}.csv`,
      ),
    );
    expect(screen.getByRole("img", { name: /1 less \(50%\), 1 more \(150%\), 2 as usual/ })).toBeTruthy();
  });

  it("is graded by two levels at once, and gives the design up that hung on them", async () => {
    const calls = serve(AFTER);
    open(<RegionBrief />);
    fireEvent.click(screen.getByRole("radio", { name: /^Graded/ }));
    await waitFor(() => expect(calls.some((call) => call.method === "PATCH")).toBe(true));
    expect(calls.find((call) => call.method === "PATCH")?.body).toEqual({
      version: 3,
      changes: { lower: 0.5, higher: 1.5, pairs: null, weeks: null },
    });
  });

  it("says where to go while there is nothing to draw", () => {
    open(<RegionTraffic />, plan({ pairs: null, weeks: null }));
    expect(screen.getByRole("link", { name: "Sizing" })).toBeTruthy();
    expect(screen.queryByRole("button", { name: "Draw" })).toBeNull();
  });

  it("refuses a seed that is no whole number before it is sent", () => {
    const calls = serve(AFTER);
    open(<RegionTraffic />);
    fireEvent.change(screen.getByLabelText("Seed, unless it is left to chance"), { target: { value: "7.5" } });
    fireEvent.click(screen.getByRole("button", { name: "Draw" }));
    expect(screen.getByRole("alert").textContent).toContain("Seed (7.5) must be a whole number");
    expect(calls.filter((call) => call.method === "POST")).toEqual([]);
  });
});

const WithPlan = () => (
  <RegionPlanning>
    <CalendarPanel />
  </RegionPlanning>
);

function spending(changes: Partial<SpendingCalendar> = {}): SpendingCalendar {
  const line = (day: string, phase: "test" | "after", planned: number[]) => ({
    day,
    phase,
    usual: [10_000, 11_000, 0],
    planned,
    edited: [],
  });
  return {
    version: 3,
    start: "2026-11-30",
    own_budget: false,
    budget: 42_000,
    again: "after",
    groups: ["withheld", "control", "other"],
    reason: "",
    days: [line("2026-11-30", "test", [0, 11_000, 0]), line("2026-12-07", "after", [15_000, 16_000, 0])],
    total: 42_000,
    difference: 0,
    tolerance: 0.01,
    beyond: false,
    balance: Array.from({ length: 7 }, () => ({ more: 0, less: 0 })),
    ...changes,
  };
}

describe("the spending calendar", () => {
  const PUT = "PUT /experiments/fare-calendar/regions/calendar";
  const REST = {
    ...AFTER,
    "GET /experiments/fare-calendar/regions": Array(8).fill({ body: plan({ cells: CELLS }) }),
    "GET /experiments/fare-calendar/regions/calendar": Array(8).fill({ body: { calendar: spending() } }),
  };
  const sent = (calls: ReturnType<typeof serve>) =>
    calls.filter((call) => call.method === "PUT").map((call) => call.body);

  it("has no field for what is compared with while the test runs, nor for a group without spend", () => {
    serve(REST);
    open(<WithPlan />, plan({ cells: CELLS }), spending());
    const fields = screen.getAllByRole("textbox").map((field) => field.getAttribute("aria-label"));
    expect(fields).toEqual(
      ["Withheld, 30 Nov", "Withheld, 7 Dec", "As usual, 7 Dec"].map(
        (name) => expect.stringContaining(name.slice(0, 12)) as string,
      ),
    );
  });

  it("takes shares of the usual as well as money, and an empty field back to what was planned", async () => {
    const calls = serve({ ...REST, [PUT]: Array(3).fill({ body: { calendar: spending() } }) });
    open(<WithPlan />, plan({ cells: CELLS }), spending());
    fireEvent.click(screen.getByRole("button", { name: "% of usual" }));
    const [first] = screen.getAllByRole("textbox");
    expect(first).toHaveProperty("value", "0");
    fireEvent.change(first!, { target: { value: "50" } });
    fireEvent.blur(first!);
    await waitFor(() => expect(sent(calls)).toHaveLength(1));
    expect(sent(calls)[0]).toMatchObject({ edits: [{ day: "2026-11-30", group: "withheld", cents: 5000 }] });
    fireEvent.change(screen.getAllByRole("textbox")[0]!, { target: { value: "" } });
    fireEvent.blur(screen.getAllByRole("textbox")[0]!);
    await waitFor(() => expect(sent(calls)).toHaveLength(2));
    expect(sent(calls)[1]).toMatchObject({ edits: [] });
  });

  it("marks what is no amount, keeps it, and sends nothing", () => {
    const calls = serve(REST);
    open(<WithPlan />, plan({ cells: CELLS }), spending());
    const [first] = screen.getAllByRole("textbox");
    fireEvent.change(first!, { target: { value: "much" } });
    fireEvent.blur(first!);
    expect(first).toHaveProperty("value", "much");
    expect(first?.getAttribute("aria-invalid")).toBe("true");
    expect(screen.getByRole("alert").textContent).toMatch(/^Withheld, .* \(much\) must be a number, 0 or more$/);
    expect(sent(calls)).toEqual([]);
    fireEvent.keyDown(first!, { key: "Escape" });
    expect(first).toHaveProperty("value", "0");
  });

  it("asks for a reason where the difference is more than is tolerated", async () => {
    const calls = serve({ ...REST, [PUT]: [{ body: { calendar: spending() } }] });
    open(
      <WithPlan />,
      plan({ cells: CELLS }),
      spending({ again: "no", total: 32_000, difference: -10_000, beyond: true }),
    );
    expect(screen.getByText("−100.00 EUR")).toBeTruthy();
    const reason = screen.getByLabelText("Why it differs from the budget by more than is tolerated");
    fireEvent.change(reason, { target: { value: "We save it" } });
    fireEvent.blur(reason);
    await waitFor(() => expect(sent(calls)[0]).toMatchObject({ reason: "We save it", again: "no" }));
  });
});

describe("figures", () => {
  it.each([
    [0.0246, "2.5%"],
    [0.5, "50%"],
    [0.178, "17.8%"],
    [0, "0%"],
  ])("%d is %s", (value, text) => expect(share(value)).toBe(text));
  it("writes money with its currency", () => expect(money(41_599.6, "EUR")).toBe("41,600 EUR"));
});
