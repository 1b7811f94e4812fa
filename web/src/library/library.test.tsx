import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { afterEach, describe, expect, it } from "vitest";
import type { Definition, LatestAATest, Metric } from "../api/client";
import { keys } from "../api/keys";
import { serve, SESSION, show } from "../test/kit";
import { FIRST, ofKind } from "./kinds";
import { LibraryPage } from "./LibraryPage";
import { MetricPage } from "./MetricPage";

afterEach(cleanup);
const PAID: Definition = {
  ...FIRST,
  measure: {
    kind: "conversion",
    events: { event: "booking_paid", conditions: [] },
    amount_of: "",
    cap: null,
    first_only: false,
  },
};

function metric(changes: Partial<Metric> = {}): Metric {
  return {
    key: "paid-bookings",
    name: "paid bookings",
    description: "",
    version: 2,
    definition: PAID,
    words: "Share of units that did booking_paid at least once. More is better.",
    events: ["booking_paid"],
    uses: [],
    versions: [
      { number: 2, made_by: "Mona", made_at: "2026-03-02T10:00Z", words: "now" },
      { number: 1, made_by: "Ada", made_at: "2026-03-01T10:00Z", words: "before" },
    ],
    ...changes,
  };
}

const NO_TEST: LatestAATest = { enough: false, min_units: 100, test: null };
const DONE: NonNullable<LatestAATest["test"]> = {
  id: 4,
  state: "done",
  progress: 1,
  shares: [9, 1],
  confidence: 0.95,
  splits: 1000,
  seed: 3,
  at: "2026-03-30T10:00Z",
  by: "Mona Orrell",
  problem: "",
  result: {
    units: 12_430,
    promised: 0.025,
    higher: { share: 0.08, error: 0.009, text: "8% ± 2" },
    lower: { share: 0.001, error: 0.001, text: "0.1% ± 0.2" },
    waits: { share: 0, error: 0, text: "0.0% ± 0.0" },
    held: { share: 0.919, error: 0.009, text: "92% ± 2" },
    as_promised: false,
    sentence: "1,000 random splits of 12,430 past units: more than chance explains.",
  },
};

const PREVIEW = { words: "", units: [], total: 1, denominator: null, figure: 0.5, figure_text: "50.0%", steps: [] };

function open(address: string, known: [readonly unknown[], unknown][] = []) {
  return show(
    <Routes>
      <Route path="/metrics" element={<LibraryPage />} />
      <Route path="/metrics/:key" element={<MetricPage />} />
    </Routes>,
    {
      address,
      known: [
        [keys.session, SESSION],
        [keys.aaTest("paid-bookings"), NO_TEST],
        [keys.sample, { events: "{}" }],
        [keys.metrics(""), { items: [metric()], count: 1 }],
        [keys.metricPreview(FIRST, "{}"), PREVIEW],
        [keys.metricPreview(PAID, "{}"), PREVIEW],
        ...known,
      ],
    },
  );
}

describe("turning a definition to another kind", () => {
  it.each(["count", "amount", "ratio", "funnel", "conversion"] as const)("%s keeps the event", (kind) => {
    const turned = ofKind(PAID, kind);
    const events = kind === "funnel" ? turned.steps?.[0] : turned.measure?.events;
    expect(events?.event).toBe("booking_paid");
    expect(turned.unit).toBe(kind === "conversion" || kind === "funnel" ? "percent" : "number");
    expect(turned.denominator === null).toBe(kind !== "ratio");
  });
});

describe("the library", () => {
  it("lists what each metric counts and who uses it", () => {
    const use = { experiment: "a", name: "A", state: "running", role: "primary", version: 1 };
    open("/metrics", [[keys.metrics(""), { items: [metric({ uses: [use] })], count: 1 }]]);
    expect(screen.getByRole("heading", { level: 1 }).textContent).toBe("1 metric");
    expect(screen.getByText("used by 1, 1 running")).toBeTruthy();
  });

  it("says when a search finds nothing", () => {
    open("/metrics?search=ducks", [[keys.metrics("ducks"), { items: [], count: 0 }]]);
    expect(screen.getByText("No metric has this")).toBeTruthy();
  });
});

describe("a metric", () => {
  it("is made from a name and an event", async () => {
    const calls = serve({
      "POST /metrics": [{ status: 201, body: metric({ version: 1, versions: [] }) }],
      "POST /metrics/preview": [{ body: PREVIEW }, { body: PREVIEW }],
    });
    open("/metrics/new");
    fireEvent.change(screen.getByLabelText("Name"), { target: { value: "paid bookings" } });
    fireEvent.change(screen.getByRole("combobox", { name: "What is counted: event" }), {
      target: { value: "booking_paid" },
    });
    fireEvent.click(screen.getByText("Create"));
    await screen.findByText("Save as a new version");
    const made = calls.find((call) => call.path === "/metrics")?.body as { definition: Definition };
    expect(made.definition.measure?.events.event).toBe("booking_paid");
  });

  it("shows the refusal beside what it is about and keeps what was typed", async () => {
    serve({
      "PUT /metrics/paid-bookings": [
        {
          status: 422,
          body: {
            title: "No",
            errors: [{ field: "measure.events.event", message: "event (empty) must name an event" }],
          },
        },
      ],
      "POST /metrics/preview": [{ body: PREVIEW }],
    });
    open("/metrics/paid-bookings", [[keys.metric("paid-bookings"), metric()]]);
    fireEvent.change(screen.getByRole("combobox", { name: "What is counted: event" }), { target: { value: " " } });
    fireEvent.click(screen.getByText("Save as a new version"));
    expect((await screen.findAllByText("event (empty) must name an event")).length).toBeGreaterThan(0);
    expect(screen.getByRole("combobox", { name: "What is counted: event" })).toHaveProperty("value", " ");
  });

  it("is made of totals by day: what is divided, by what, and nothing of events", async () => {
    const calls = serve({ "POST /metrics": [{ status: 201, body: metric({ key: "cost-each" }) }] });
    open("/metrics/new");
    fireEvent.change(screen.getByLabelText("Name"), { target: { value: "cost each" } });
    fireEvent.click(screen.getByLabelText(/Ratio of totals/));
    expect(screen.queryByText("Worked example")).toBeNull();
    expect(screen.queryByLabelText("Events count for")).toBeNull();
    fireEvent.change(screen.getByLabelText("Denominator, a total by day"), {
      target: { value: "metric:paid-bookings" },
    });
    fireEvent.change(screen.getByLabelText("It is"), { target: { value: "money" } });
    fireEvent.click(screen.getByText("Create"));
    const made = () => calls.find((call) => call.method === "POST" && call.path === "/metrics");
    await waitFor(() => expect(made()).toBeTruthy());
    const sent = made()?.body as { definition: Definition };
    expect(sent.definition).toMatchObject({
      kind: "totals",
      totals: [
        { of: "cost", metric: "" },
        { of: "metric", metric: "paid-bookings" },
      ],
      unit: "money",
      currency: "EUR",
      measure: null,
    });
  });

  it("can be removed only while nobody uses it", async () => {
    const calls = serve({
      "DELETE /metrics/paid-bookings": [{ body: {} }],
      "GET /metrics": [{ body: { items: [], count: 0 } }, { body: { items: [], count: 0 } }],
    });
    open("/metrics/paid-bookings", [[keys.metric("paid-bookings"), metric()]]);
    fireEvent.click(screen.getByText("Remove…"));
    fireEvent.click(screen.getByRole("button", { name: "Remove" }));
    await screen.findByRole("heading", { name: "No metrics yet" });
    expect(calls[0]).toMatchObject({ method: "DELETE", path: "/metrics/paid-bookings" });
  });

  it("offers only the operators of the kind of value, and no value for “is set”", () => {
    open("/metrics/new");
    fireEvent.click(screen.getByText("where…"));
    const label = "What is counted, condition 1";
    fireEvent.change(screen.getByLabelText(`${label}: kind`), { target: { value: "true_false" } });
    const names = [...screen.getByLabelText(`${label}: operator`).children].map((option) => option.textContent);
    expect(names).toEqual(["is", "is not", "is set"]);
    fireEvent.change(screen.getByLabelText(`${label}: operator`), { target: { value: "is_set" } });
    expect(screen.queryByLabelText(`${label}: value`)).toBeNull();
  });
});

describe("a metric on one's own past units", () => {
  const at = keys.aaTest("paid-bookings");
  const shown = (latest: LatestAATest) =>
    open("/metrics/paid-bookings", [
      [keys.metric("paid-bookings"), metric()],
      [at, latest],
    ]);

  it("says what is needed while there are too few", () => {
    shown(NO_TEST);
    expect(screen.getByText(/100 are needed/)).toBeTruthy();
    expect(screen.queryByRole("button", { name: /Split past units/ })).toBeNull();
  });

  it("begins a test, shows how far it is, and cancels it", async () => {
    const running = { ...DONE, state: "running" as const, progress: 0.4, result: null };
    const sent = serve({
      "POST /metrics/paid-bookings/aa-test": [{ status: 202, body: running }],
      "DELETE /metrics/paid-bookings/aa-test/4": [
        { body: { ...NO_TEST, enough: true, test: { ...running, state: "cancelled" } } },
      ],
    });
    shown({ ...NO_TEST, enough: true });
    fireEvent.click(screen.getByRole("button", { name: "Split past units 1,000 times at 50/50" }));
    expect(await screen.findByText("40%")).toBeTruthy();
    expect(sent[0]?.body).toEqual({ shares: [1, 1], confidence: 0.95, splits: 1000, seed: 1 });
    fireEvent.click(screen.getByRole("button", { name: "Cancel" }));
    expect(await screen.findByText("Cancelled; no results were kept.")).toBeTruthy();
  });

  it("tells what was found beside what is promised, and at which shares", () => {
    shown({ ...NO_TEST, enough: true, test: DONE });
    expect(screen.getByText(DONE.result?.sentence ?? "").className).toContain("tone-warning");
    expect(screen.getByRole("row", { name: "Called higher 8% ± 2 2.5% promised" })).toBeTruthy();
    expect(screen.getByText(/That was at 90\/10; this test is planned at 50\/50/)).toBeTruthy();
  });
});
