import { cleanup, fireEvent, screen, waitFor, within } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { afterEach, describe, expect, it } from "vitest";
import type { Forecasts as Found, Rehearsal, World } from "../api/client";
import { useExperiment } from "../api/hooks";
import { keys } from "../api/keys";
import { experiment, metricUse, serve, SESSION, show, variant } from "../test/kit";
import { MetricsPanel } from "./brief/MetricsPanel";
import { BriefSheet } from "./brief/BriefSheet";
import { Forecasts } from "./brief/Forecasts";
import { Variants } from "./brief/Variants";
import { EditingProvider } from "./editing";
import { RehearsalSheet } from "./rehearsal/RehearsalSheet";
import { readRamp, writeRamp } from "./sizing/Ramp";
import { readDays, RulePanel } from "./sizing/RulePanel";
import { SizingSheet } from "./sizing/SizingSheet";

afterEach(cleanup);
const PATH = "/experiments/fare-calendar";

function open(part: React.ReactNode, shown = experiment(), known: [readonly unknown[], unknown][] = []) {
  return show(
    <Routes>
      <Route path="/experiments/:key/:sheet" element={<EditingProvider experiment={shown}>{part}</EditingProvider>} />
    </Routes>,
    {
      address: `${PATH}/brief`,
      known: [
        [keys.session, SESSION],
        [keys.experiment("fare-calendar"), shown],
        [keys.metrics(""), { items: [], count: 0 }],
        [keys.past("fare-calendar", shown.metric), { items: [] }],
        [keys.forecasts("fare-calendar"), forecasts()],
        ...known,
      ],
    },
  );
}

/** The variants as the cache has them, not as they were at first. */
function Kept() {
  const { data } = useExperiment("fare-calendar");
  return (
    data && (
      <EditingProvider experiment={data}>
        <Variants />
      </EditingProvider>
    )
  );
}

function forecasts(changes: Partial<Found> = {}): Found {
  return { open: true, sealed: true, outcome: null, forecasts: [], ...changes };
}

const PLAN = {
  total: 80_000,
  per_arm: [40_000, 40_000],
  weeks: 4,
  days_needed: 28,
  units_per_day: 2900,
  too_long: false,
  rounds: 1,
  changed_level: 0.055,
  inflation: 1.024,
  needs: [{ name: "", total: 80_000, weeks: 4 }],
  decided_by: "",
  looks: [
    { day: 14, information: 0.5, critical_value: 2.96, nominal: 0.003, lift: 0.12 },
    { day: 28, information: 1, critical_value: 1.97, nominal: 0.049, lift: 0.056 },
  ],
  curve: [0.2, 0.14, 0.12, 0.1],
  weeks_by_strictness: { scout: 3, standard: 4, strict: 7 },
  what_if: [],
  sample_saved: "0%",
  joint_power: null,
  warnings: [],
  sentence: "4 whole weeks, 40,000 visitors in each variant, to see a lift of 10% or more.",
};

describe("what is typed as days and ramps", () => {
  it.each([
    ["", []],
    ["14, 20 28", [14, 20, 28]],
    ["14", [14]],
    ["0", null],
    ["soon", null],
    ["14.5, 20", null],
  ])("days “%s”", (text, expected) => expect(readDays(text)).toEqual(expected));

  it.each([
    [
      "3 days at 10%, 4 days at 50",
      [
        { days: 3, participation: 0.1 },
        { days: 4, participation: 0.5 },
      ],
    ],
    ["1: 25", [{ days: 1, participation: 0.25 }]],
    ["", []],
    ["3 days", null],
    ["0 days at 10%", null],
    ["3 days at 120%", null],
  ])("ramp “%s”", (text, expected) => {
    const match = readRamp(text);
    expect(match).toEqual(expected);
    if (match) expect(readRamp(writeRamp(match))).toEqual(match);
  });
});

describe("the brief", () => {
  it("makes the second of two quick edits of a list from what the first has left", async () => {
    const guarded = experiment({
      metrics: [metricUse(), metricUse({ key: "help", name: "help opened", role: "guardrail", margin: 0.02 })],
    });
    const after = (margin: number, baseline: number | null) =>
      experiment({ ...guarded, version: 4, metrics: [metricUse(), { ...guarded.metrics[1]!, margin, baseline }] });
    const calls = serve({
      [`PATCH ${PATH}`]: [{ body: after(0.15, null) }, { body: after(0.15, 0.11) }],
    });
    open(<BriefSheet />, guarded);
    for (const [label, text] of [
      ["Margin", "15"],
      ["Rate today", "11"],
    ] as const) {
      fireEvent.change(screen.getByLabelText(label), { target: { value: text } });
      fireEvent.blur(screen.getByLabelText(label));
    }
    await waitFor(() => expect(calls.filter((call) => call.method === "PATCH")).toHaveLength(2));
    const last = calls.filter((call) => call.method === "PATCH")[1]?.body as { changes: { metrics: unknown[] } };
    expect(last.changes.metrics[1]).toMatchObject({ name: "help opened", margin: 0.15, baseline: 0.11 });
  });

  it("adds a second goal with a change to plan with", async () => {
    const calls = serve({ [`PATCH ${PATH}`]: [{ body: experiment({ version: 4 }) }] });
    open(<BriefSheet />, experiment({ metrics: [metricUse()] }));
    fireEvent.change(screen.getByLabelText("Another metric"), { target: { value: "cost per booking" } });
    fireEvent.change(screen.getByLabelText("Role"), { target: { value: "goal" } });
    fireEvent.click(screen.getByText("Add"));
    const saved = () => calls.find((call) => call.method === "PATCH");
    await waitFor(() => expect(saved()).toBeTruthy());
    const sent = (saved()?.body as { changes: { metrics: object[] } }).changes.metrics;
    expect(sent[1]).toMatchObject({ name: "cost per booking", role: "goal", margin: 0.1 });
  });

  it("watches one more metric after the start, and takes it away again", async () => {
    const running = experiment({
      state: "running",
      data_from: "events",
      rule_locked_at: "2026-03-02T10:00Z",
      metrics: [metricUse()],
    });
    const added = metricUse({ key: "help", name: "help opened", role: "exploratory", added_at: "2026-03-05T10:00Z" });
    const watched = { ...running, version: 9, metrics: [...running.metrics, added] };
    const calls = serve({
      [`POST ${PATH}/added-metrics`]: [{ status: 201, body: watched }],
      [`DELETE ${PATH}/added-metrics/help`]: [{ body: { ...running, version: 10 } }],
    });
    open(<MetricsPanel />, running);
    expect(screen.queryByLabelText("Role")).toBeNull();
    fireEvent.change(screen.getByLabelText("Watch one more metric"), { target: { value: "help opened" } });
    fireEvent.click(screen.getByText("Add as exploratory"));
    await waitFor(() => expect(calls.find((call) => call.method === "POST")?.body).toEqual({ name: "help opened" }));
    cleanup();
    open(<MetricsPanel />, watched);
    expect(screen.getByText(/Added on .*5 March.*no part of the rule/)).toBeTruthy();
    fireEvent.click(screen.getByLabelText("Remove help opened"));
    await waitFor(() => expect(calls.some((call) => call.method === "DELETE")).toBe(true));
  });

  it("sends variants with their ids, and copies with where they come from", async () => {
    const calls = serve({ [`PATCH ${PATH}`]: [{ body: experiment({ version: 4 }) }] });
    open(<Variants />, experiment({ variants: [variant("A", "List"), variant("B", "Calendar", { link: "/b" })] }));
    fireEvent.click(screen.getByLabelText("Copy B to a new variant"));
    await waitFor(() => expect(calls).toHaveLength(1));
    const sent = (calls[0]?.body as { changes: { variants: object[] } }).changes.variants;
    expect(sent).toMatchObject([
      { name: "List" },
      { name: "Calendar" },
      { id: null, name: "Calendar (copy)", link: "/b" },
    ]);
    expect(sent[2]).toHaveProperty("copy_of", variant("B", "").id);
  });

  it("keeps a picture that is added while a field is still being saved", async () => {
    const [list, calendar] = [variant("A", "List"), variant("B", "Calendar")];
    const shown = { id: 7, url: "/picture", width: 3, height: 2, caption: "", until: null };
    let answer = () => {};
    const saving = new Promise<void>((resolve) => (answer = resolve));
    serve({
      [`PATCH ${PATH}`]: [{ after: saving, body: experiment({ version: 4, variants: [list, calendar] }) }],
      [`POST ${PATH}/variants/${calendar.id}/pictures`]: [
        { body: experiment({ version: 4, variants: [list, { ...calendar, pictures: [shown] }] }) },
      ],
    });
    open(<Kept />, experiment({ variants: [list, calendar] }));
    fireEvent.click(screen.getByRole("button", { name: "More of B" }));
    fireEvent.change(screen.getByLabelText(/Changes in B/), { target: { value: "a grid of days" } });
    fireEvent.blur(screen.getByLabelText(/Changes in B/));
    const files = [new File(["x"], "b.png", { type: "image/png" })];
    fireEvent.change(screen.getByLabelText("Pictures of B"), { target: { files } });
    // It waits for the field, whose answer, made before the picture came, would otherwise arrive last and undo it.
    await expect(screen.findByLabelText("Side by side", {}, { timeout: 100 })).rejects.toThrow();
    answer();
    expect(within(await screen.findByLabelText("Side by side")).getAllByRole("img")).toHaveLength(1);
  });

  it("keeps other people's forecasts sealed and refuses half a guess", () => {
    const line = { by: "Ada", mine: false, at: "2026-03-01T10:00Z", lift: null, low: null, high: null, note: "" };
    open(<Forecasts />, experiment(), [[keys.forecasts("fare-calendar"), forecasts({ forecasts: [line] })]]);
    expect(screen.getByText("Sealed: Ada.")).toBeTruthy();
    fireEvent.change(screen.getByLabelText("Forecast of the lift"), { target: { value: "5" } });
    fireEvent.click(screen.getByText("Seal"));
    expect(screen.getByRole("alert").textContent).toContain("Give all three as numbers");
  });

  it("opens forecasts beside what was seen", () => {
    const line = (by: string, low: number, high: number) => ({
      by, mine: false, at: "2026-03-01T10:00Z", lift: (low + high) / 2, low, high, note: "",
    }); // prettier-ignore
    const opened = forecasts({
      open: false,
      sealed: false,
      outcome: 0.08,
      forecasts: [line("Ada", 0, 0.1), line("Mo", 0.2, 0.3)],
    });
    open(<Forecasts />, experiment({ state: "decided" }), [[keys.forecasts("fare-calendar"), opened]]);
    expect(screen.getByText("held it").closest("li")?.textContent).toContain("Ada");
    expect(screen.getByText("missed it").closest("li")?.textContent).toContain("Mo");
  });
});

describe("sizing", () => {
  it("asks an amount for its spread, in its currency, and names the need that settles the sample", () => {
    const fare = metricUse({ name: "fare", kind: "amount", is_rate: false, unit: "money", currency: "EUR" });
    const plan = {
      ...PLAN,
      decided_by: "help opened",
      joint_power: { each: [0.9, 0.8], independent: 0.72, least: 0.7, most: 0.8 },
      needs: [...PLAN.needs, { name: "help opened", total: 99_000, weeks: 5 }],
    };
    open(<SizingSheet />, experiment({ metric: "fare", metrics: [fare], baseline: 42, standard_deviation: 80, plan }));
    expect(screen.getByLabelText("Standard deviation")).toHaveProperty("value", "80");
    expect(screen.getByText("42 EUR would become 0.055 EUR")).toBeTruthy();
    expect(
      within(screen.getByText("Sample size by metric").closest("section")!).getByText("help opened").className,
    ).toContain("font-semibold");
    expect(screen.getByText(/72.0% power if they were independent; between 70.0% and 80.0% whatever/)).toBeTruthy();
  });

  it("opens a locked rule for a reason only, and sends the reason along", async () => {
    const locked = experiment({ state: "running", rule_locked_at: "2026-03-02T10:00Z", plan: PLAN });
    const calls = serve({ [`PATCH ${PATH}`]: [{ body: locked }] });
    open(<RulePanel />, locked);
    expect(screen.getByRole("group", { name: "Method" })).toHaveProperty("disabled", true);
    fireEvent.click(screen.getByText("Change for a reason…"));
    fireEvent.click(screen.getByText("Open for change"));
    expect(screen.getByRole("group", { name: "Method" })).toHaveProperty("disabled", true);
    fireEvent.change(screen.getByLabelText(/^Why must the rule change/), { target: { value: "Legal asks" } });
    fireEvent.click(screen.getByText("Open for change"));
    fireEvent.click(screen.getByRole("radio", { name: /^At any time/ }));
    await waitFor(() => expect(calls).toHaveLength(1));
    expect(calls[0]?.body).toMatchObject({ changes: { method: "always_valid" }, reason: "Legal asks" });
  });

  it("shows what the rule was before", () => {
    const change = {
      at: "2026-03-20T10:00Z",
      by: "Mona",
      reason: "Legal asks",
      before: "We read once.",
      after: "Any time.",
    };
    open(<RulePanel />, experiment({ rule_changes: [change], rule_locked_at: "2026-03-02T10:00Z" }));
    expect(screen.getByText("The rule before: We read once.")).toBeTruthy();
  });

  it("draws the boundary with its figures for those who do not see it", () => {
    open(<RulePanel />, experiment({ method: "group_sequential", plan: PLAN }));
    expect(screen.getByRole("img").getAttribute("aria-label")).toContain(
      "day 14: +12.0% (p under 0.0030); day 28: +5.6%",
    );
    expect(screen.getByText(/2.4% more data than a single reading/)).toBeTruthy();
  });
});

function world(changes: Partial<World> = {}): World {
  const share = (value: number) => ({ share: value, error: 0.002, text: `${(100 * value).toFixed(1)}% ± 0.4` });
  return {
    key: "none",
    lift: 0,
    verdicts: {
      winner: share(0.025),
      keep_control: share(0.3),
      no_worthwhile_difference: share(0.6),
      unresolved: share(0.075),
    },
    decided_on: [],
    mean_days: 20.5,
    days_quantiles: [14, 21, 28],
    mean_units: 60_000,
    right_winners: share(0),
    false_winners: share(0.025),
    peeking_winners: share(0.14),
    peeking_differences: share(0.28),
    estimates: [null, null, null, null],
    exaggeration: null,
    paths: [{ lifts: [null, 0.1, 0.05], decided_on: 3, verdict: "winner" }],
    boundary: [{ day: 3, lift: 0.04 }],
    ...changes,
  };
}

function rehearsal(changes: Partial<Rehearsal> = {}): Rehearsal {
  return {
    id: 5, state: "done", progress: 1, seed: 1, runs: 10_000, own_lift: null, at: "2026-03-01T10:00Z", by: "Mona",
    problem: "", stale: false, days: 3,
    worlds: [world(), world({ key: "worthwhile", lift: 0.1, right_winners: { share: 0.83, error: 0.004, text: "83.0% ± 0.8" },
                              estimates: [0.06, 0.11, 0.17, 0.112], exaggeration: 1.12 })],
    ...changes,
  }; // prettier-ignore
}

describe("the rehearsal", () => {
  const shown = (match: Rehearsal | null, plan: typeof PLAN | null = PLAN) =>
    open(<RehearsalSheet />, experiment({ plan }), [[keys.rehearsal("fare-calendar"), { rehearsal: match }]]);

  it("says first what the rule would do and what daily peeking would", () => {
    serve({ [`GET ${PATH}/rehearsal`]: [{ body: { rehearsal: rehearsal() } }] });
    shown(rehearsal());
    expect(screen.getByText(/the rule finds it 83.0% of the time/).textContent).toContain(
      "it declares a winner 2.5% of the time; looking every day and stopping at the first good number would, 14.0%",
    );
    expect(screen.getByText("1.12 times")).toBeTruthy();
    expect(screen.getByRole("img").getAttribute("aria-label")).toBe("A hundred simulated runs: winner 1");
  });

  it("shows a result of another plan", () => {
    serve({ [`GET ${PATH}/rehearsal`]: [{ body: { rehearsal: rehearsal({ stale: true }) } }] });
    shown(rehearsal({ stale: true }));
    expect(screen.getByText(/The plan has changed since/)).toBeTruthy();
  });

  it("shows progress with a way out, and cancels", async () => {
    const running = rehearsal({ state: "running", progress: 0.4, worlds: [] });
    const calls = serve({
      [`GET ${PATH}/rehearsal`]: [{ body: { rehearsal: running } }],
      [`DELETE ${PATH}/rehearsal/5`]: [{ body: { rehearsal: rehearsal({ state: "cancelled", worlds: [] }) } }],
    });
    shown(running);
    expect(screen.getByText("40%")).toBeTruthy();
    fireEvent.click(screen.getByText("Cancel"));
    await screen.findByText("Cancelled; no results were kept.");
    expect(calls.some((call) => call.method === "DELETE")).toBe(true);
  });

  it("refuses runs that are no number, and says where a plan is made", () => {
    serve({ [`GET ${PATH}/rehearsal`]: [{ body: { rehearsal: null } }] });
    shown(null);
    fireEvent.change(screen.getByLabelText("Runs"), { target: { value: "many" } });
    fireEvent.click(screen.getByRole("button", { name: "Rehearse" }));
    expect(screen.getByRole("alert").textContent).toContain("must be whole numbers");
  });

  it("needs a plan", () => {
    serve({ [`GET ${PATH}/rehearsal`]: [{ body: { rehearsal: null } }] });
    shown(null, null);
    expect(screen.getByText("Nothing to rehearse yet")).toBeTruthy();
  });
});
