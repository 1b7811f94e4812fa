import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { render } from "@testing-library/react";
import type { ReactNode } from "react";
import { keys } from "../api/keys";
import { server } from "./setup";
import { MemoryRouter } from "react-router";
import type {
  Comparison,
  DocketRow,
  Experiment,
  Interval,
  MetricUse,
  Preview,
  Reading,
  VariantOut,
} from "../api/client";
import type { Preferences } from "../api/preferences";
import { signed } from "../lib/format";

/** ``after`` holds an answer back. */
type Answer = { status?: number; body: unknown; after?: Promise<unknown> };
export interface Call {
  method: string;
  path: string;
  /** Without its question mark. */
  query: string;
  body: unknown;
}

/** A server that answers by "METHOD /path" with the next of its answers; what was not foreseen throws. */
export function serve(answers: Record<string, Answer[]>): Call[] {
  const calls: Call[] = [];
  server.answer = async (input, init) => {
    const request = input instanceof Request ? input : new Request(new URL(String(input), "http://localhost"), init);
    const path = new URL(request.url).pathname.replace("/api/v1", "");
    const text = request.method === "GET" ? "" : await request.text();
    calls.push({
      method: request.method,
      path,
      query: new URL(request.url).search.slice(1),
      body: text.startsWith("{") ? JSON.parse(text) : text,
    });
    const answer = answers[`${request.method} ${path}`]?.shift();
    if (!answer) throw new Error(`unforeseen request: ${request.method} ${path}`);
    await answer.after;
    return new Response(answer.status === 204 ? null : JSON.stringify(answer.body), {
      status: answer.status ?? 200,
      headers: { "Content-Type": "application/json" },
    });
  };
  return calls;
}

/** Renders a part with what all parts live in: a router and a cache that starts with `known`. */
export function show(part: ReactNode, { address = "/", known = [] as [readonly unknown[], unknown][] } = {}) {
  const cache = new QueryClient({ defaultOptions: { queries: { retry: false, staleTime: Infinity } } });
  // What is offered to choose from; nothing came in unless a test says so.
  cache.setQueryData(keys.seenEvents, []);
  cache.setQueryData(keys.session, { ...SESSION, account: null });
  for (const [key, data] of known) cache.setQueryData(key, data);
  return render(
    <QueryClientProvider client={cache}>
      <MemoryRouter initialEntries={[address]}>{part}</MemoryRouter>
    </QueryClientProvider>,
  );
}

/** What the tests see is open unless they are about what is folded. */
export const PREFERENCES: Preferences = {
  theme: "system",
  density: "comfortable",
  panels: "open",
  shortcuts: "on",
  views: [],
};

export const SESSION = {
  account: { username: "mona", display_name: "Mona Orrell", role: "analyst", may_edit: true, may_administer: false },
  preferences: PREFERENCES,
  provider: "",
  warning: "",
  workspace: "Tidewick Ferries",
  time_zone: "UTC",
  currency: "EUR",
  demo_accounts: [],
};

export function variant(letter: string, name: string, changes: Partial<VariantOut> = {}): VariantOut {
  const id = 100 + letter.charCodeAt(0);
  return {
    id,
    letter,
    name,
    changes: [],
    parameters: [],
    link: "",
    address: "",
    page_changes: [],
    page_changes_in_words: [],
    weight: 1,
    pictures: [],
    earlier_pictures: [],
    ...changes,
  };
}

export function metricUse(changes: Partial<MetricUse> = {}): MetricUse {
  return {
    key: "paid-bookings",
    name: "paid bookings",
    role: "primary",
    margin: null,
    baseline: null,
    standard_deviation: null,
    before_days: null,
    strata: null,
    kind: "conversion",
    is_rate: true,
    good_direction: "up",
    unit: "percent",
    currency: "",
    words: "Share of units that did booking_paid at least once. More is better.",
    fields: ["day", "variant", "units", "conversions"],
    version: 1,
    added_at: null,
    latest_version: 1,
    ...changes,
  };
}

export function experiment(changes: Partial<Experiment> = {}): Experiment {
  return {
    key: "fare-calendar",
    version: 3,
    design: changes.allocation ? "adaptive" : "parallel",
    state: "draft",
    name: "Fare calendar",
    area: "Booking",
    owner: "Mona Orrell",
    description: "",
    change: "",
    audience: "",
    because: "",
    metric: "paid bookings",
    metrics: [metricUse()],
    unit_name: "visitors",
    good_direction: "up",
    baseline: 0.05,
    standard_deviation: null,
    correlation: 0,
    question: "superiority",
    worthwhile_lift: 0.1,
    audience_per_day: 4000,
    participation: 1,
    page: "",
    ramp: [],
    participation_today: 1,
    data_from: "files",
    assignment_unit: "visitor",
    audience_rules: [],
    audience_in_words: "",
    identity: "id",
    never_counted: { units: [], groups: [], more_than: null },
    never_counted_in_words: "",
    breakdowns: [["device"]],
    forced: {},
    exclusion_group: "",
    exclusion_share: 1,
    round: 1,
    round_of: "",
    rounds: [],
    rounds_left: 0,
    by_region: false,
    rounds_planned: 1,
    starts_at: null,
    ends_at: null,
    confidence: 0.95,
    power: 0.8,
    least_weeks: 2,
    least_conversions: 50,
    planned_start: null,
    longest_run_weeks: null,
    workspace_longest_run_weeks: 13,
    method: "fixed",
    method_settings: { sides: "two" },
    family: "holm",
    warm_up_days: 0,
    count_tolerance: 0.05,
    allocation: null,
    allocation_mode: "follow",
    rule_changes: [],
    delivery_changes: [],
    factors: [],
    started_on: null,
    ended_on: null,
    rule_locked_at: null,
    variants: [variant("A", "List first"), variant("B", "Calendar first", { changes: ["calendar"] })],
    hypothesis: "…",
    remarks: [],
    rule_in_words: "We read once.",
    plan: null,
    plan_problem: "",
    last_day: null,
    read_after: null,
    decision: "",
    decision_reason: "",
    decision_next: "",
    decided_by: "",
    decided_at: null,
    ...changes,
  };
}

export function interval(low: number | null, estimate: number | null, high: number | null): Interval {
  return {
    low,
    estimate,
    high,
    low_open: false,
    high_open: false,
    low_text: signed(low),
    estimate_text: signed(estimate),
    high_text: signed(high),
  };
}

export function comparison(changes: Partial<Comparison> = {}): Comparison {
  const lift = changes.lift ?? interval(0.031, 0.084, 0.139);
  return {
    letter: "B",
    effect: lift,
    lift,
    difference: interval(0.0016, 0.0043, 0.007),
    statistic: 3.1,
    pvalue: 0.0018,
    adjusted_pvalue: 0.0018,
    exact_pvalue: null,
    critical_value: 1.96,
    tone: "ahead",
    sentence: "B against A: lift +8.4%, between +3.1% and +13.9%",
    effect_per_month: null,
    adjusted_text: "",
    ...changes,
  };
}

type SideComparison = Reading["secondary"][number]["comparisons"][number];

export function sideComparison(changes: Partial<SideComparison> = {}): SideComparison {
  const lift = changes.lift ?? interval(-0.02, 0.03, 0.08);
  return {
    letter: "B",
    effect: lift,
    lift,
    difference: interval(-0.001, 0.001, 0.003),
    effect_per_month: null,
    statistic: 1,
    pvalue: 0.3,
    adjusted_pvalue: 0.6,
    critical_value: 1.96,
    tone: "open",
    kept: true,
    lost: false,
    sentence: "help opened, B against A: lift +3.0%",
    ...changes,
  };
}

export function reading(changes: Partial<Reading> = {}): Reading {
  const arm = (letter: string, name: string, units: number, conversions: number) => ({
    letter,
    name,
    units,
    total: conversions,
    rate: interval(0.05, conversions / units, 0.06),
    planned_share: 0.5,
    stopped: false,
    seen_share: 0.5,
  });
  return {
    verdict: "winner",
    variant: "B",
    suggested: "B",
    design: "parallel",
    design_words: "",
    design_caveat: "",
    headline: "“Calendar first” brings more paid bookings than “List first”: +8.4%, and no less than +3.1%.",
    figure: "+8.4%",
    short: "B ahead. +8.4%, every condition met",
    detail: "At 95% confidence the lift is between +3.1% and +13.9%.",
    warnings: [],
    confidence: 0.95,
    worthwhile_lift: 0.03,
    question: "superiority",
    size_meaning: "a change is too small to act on",
    good_direction: "up",
    metric: "paid bookings",
    unit_name: "visitors",
    arms: [arm("A", "List first", 41_433, 2104), arm("B", "Calendar first", 41_480, 2284)],
    comparisons: [comparison()],
    conditions: [
      {
        key: "days",
        subject: "minimum",
        label: "Ran at least 14 days",
        state: "met",
        seen: "28 days",
        required: "14 days",
      },
      {
        key: "split",
        subject: "soundness",
        label: "Split as planned",
        state: "met",
        seen: "p = 0.87",
        required: "p at least 0.001",
      },
    ],
    split: { pvalue: 0.87, as_planned: true },
    overlap: null,
    progress: 1.01,
    days: 28,
    planned_days: 28,
    rule_in_words: "We read once.",
    kind: "rate",
    method: "fixed",
    one_sided: false,
    credible: false,
    readable: true,
    unit: "percent",
    currency: "",
    secondary: [],
    read_on: null,
    scale: "lift",
    scale_unit: 1,
    worthwhile_text: "3%",
    interval_confidence: 0.95,
    next_look: null,
    ranking: [],
    would_change: [],
    chance_meaning: "",
    conflicts: [],
    adjusted_by_days: null,
    variance_removed: null,
    stratified_by: "",
    adds_up: true,
    ...changes,
  };
}

export function docketRow(changes: Partial<DocketRow> = {}): DocketRow {
  return {
    key: "fare-calendar",
    name: "Fare calendar",
    metric: "paid bookings",
    area: "Booking",
    adjusted_text: "",
    owner: "Mona Orrell",
    mine: true,
    changed_at: null,
    news: 0,
    latest_news: "",
    state: "running",
    group: "ready",
    verdict: "winner",
    short: "B ahead. +8.4%, every condition met",
    lift: interval(0.031, 0.084, 0.139),
    tone: "ahead",
    worthwhile_lift: 0.03,
    progress: 1,
    days: 28,
    planned_days: 28,
    ...changes,
  };
}

export function preview(changes: Partial<Preview> = {}): Preview {
  return {
    digest: "d",
    decimal_mark: null,
    decimal_open: false,
    encoding: "UTF-8",
    delimiter: "comma",
    header: ["day", "variant", "units", "conversions"],
    metric: "paid bookings",
    kind: "rate",
    fields: ["day", "variant", "units", "conversions"],
    columns: { day: 0, variant: 1, units: 2, conversions: 3 },
    rows: 28,
    folded: 0,
    wrong: [],
    wrong_count: 0,
    first_day: "2026-03-02",
    last_day: "2026-03-15",
    totals: [
      [41_433, 2104],
      [41_480, 2284],
    ],
    difference: { added: 28, changed: 0, unchanged: 0 },
    seen_before: false,
    remarks: [],
    ...changes,
  };
}
