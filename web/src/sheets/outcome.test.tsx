import { cleanup, fireEvent, screen, waitFor, within } from "@testing-library/react";
import type { ReactNode } from "react";
import { Route, Routes } from "react-router";
import { afterEach, describe, expect, it } from "vitest";
import type { Casebook, Funnel, FullHandover, Looks, SecondCount, Spend, SegmentEvidence } from "../api/client";
import { keys } from "../api/keys";
import { CasebookPage } from "../casebook/CasebookPage";
import { ShareDialog } from "../report/ShareDialog";
import { SharedReportPage } from "../report/ReportPage";
import { comparison, experiment, interval, reading, serve, SESSION, show, sideComparison } from "../test/kit";
import { EditingProvider } from "./editing";
import { Funnels } from "./evidence/Funnels";
import { LooksPanel } from "./evidence/LooksPanel";
import { SecondCountsPanel } from "./evidence/SecondCountsPanel";
import { SpendPanel } from "./evidence/SpendPanel";
import { SegmentSets } from "./evidence/SegmentSets";
import { Figured } from "./evidence/DerivationCard";
import { HandoverPanel } from "./verdict/HandoverPanel";
import { Ranking, TradeOff, WouldChange, worthText } from "./verdict/Outlook";
import { RolloutForm } from "./verdict/RolloutForm";

const PATH = "/experiments/fare-calendar";

afterEach(cleanup);

function open(part: ReactNode, what = experiment({ state: "running" }), known: [readonly unknown[], unknown][] = []) {
  return show(<EditingProvider experiment={what}>{part}</EditingProvider>, {
    known: [[keys.session, SESSION], ...known],
  });
}

function look(changes: Partial<Looks["taken"][number]> = {}): Looks["taken"][number] {
  return {
    number: 1,
    day: "2026-03-15",
    information: 0.5,
    critical_value: 2.96,
    letter: "B",
    statistic: 1.2,
    lift: interval(-0.05, 0.06, 0.17),
    power_as_seen: 0.31,
    power_if_worthwhile: 0.72,
    verdict: "keep_collecting",
    short: "Not settled yet",
    stored: false,
    due: true,
    closed: false,
    taken_at: null,
    taken_by: "",
    ...changes,
  };
}

describe("looks", () => {
  const looks: Looks = {
    taken: [look()],
    planned: [{ day: "2026-03-29", information: 1, critical_value: 1.97 }],
    set_aside: [],
  };
  const read = reading({ method: "group_sequential", next_look: "2026-03-29", verdict: "keep_collecting" });

  it("draws the path against the boundary and tells the chance ahead", () => {
    open(<LooksPanel looks={looks} reading={read} />);
    expect(screen.getByRole("img").getAttribute("aria-label")).toContain("look 1: z 1.20 against 2.96");
    expect(screen.getByText(/if it goes on as seen, 72% if the true lift/)).toBeTruthy();
    expect(screen.getByRole("button", { name: "31%" })).toBeTruthy();
    expect(screen.getByText(/next look on Sun 29 Mar; until then no verdict is read/)).toBeTruthy();
    expect(screen.getByText("1.970")).toBeTruthy();
  });

  it("takes a look that is due", async () => {
    const calls = serve({ [`POST ${PATH}/looks`]: [{ status: 409, body: { title: "No look is due" } }] });
    open(<LooksPanel looks={looks} reading={read} />);
    fireEvent.click(screen.getByText("Take the look now"));
    expect((await screen.findByRole("alert")).textContent).toBe("No look is due");
    expect(calls[0]?.method).toBe("POST");
  });

  it("sets a look aside with a reason, and shows those that were", async () => {
    const aside = {
      number: 1,
      day: "2026-03-15",
      short: "B ahead",
      at: "2026-03-16T10:00Z",
      by: "Mona",
      because: "bots",
    };
    const calls = serve({ [`POST ${PATH}/looks/1/set-aside`]: [{ status: 422, body: { title: "No" } }] });
    open(
      <LooksPanel
        looks={{
          ...looks,
          taken: [look({ stored: true, due: false, taken_by: "the minute job" })],
          set_aside: [aside],
        }}
        reading={read}
      />,
    );
    expect(screen.getByText(/was set aside by Mona on .*: bots. It had said: B ahead/)).toBeTruthy();
    expect(screen.queryByText("Take the look now")).toBeNull();
    fireEvent.click(screen.getByText("Set aside…"));
    fireEvent.change(screen.getByLabelText(/What was wrong with the data of look 1/), {
      target: { value: "a filter" },
    });
    fireEvent.click(screen.getByText("Set aside"));
    await screen.findByRole("alert");
    expect(calls[0]?.body).toEqual({ reason: "a filter" });
  });

  it("says of a rule that reads once that its reading is kept", () => {
    open(
      <LooksPanel
        looks={{ taken: [look({ stored: true, due: false, power_as_seen: null })], planned: [], set_aside: [] }}
        reading={reading()}
      />,
    );
    expect(screen.getByText("The reading")).toBeTruthy();
    expect(screen.queryByRole("img")).toBeNull();
  });
});

describe("beside the reading", () => {
  it("shows a funnel step by step", () => {
    const funnel: Funnel = {
      metric: "way",
      metric_name: "way to payment",
      letter: "B",
      sentence: "Most are lost on the way to opened: 500 of A.",
      steps: [
        { name: "search", reached: [900, 910], kept: [0.9, 0.91], lift: interval(-0.01, 0.011, 0.03), tone: "open" },
        { name: "opened", reached: [400, 480], kept: [0.444, 0.527], lift: null, tone: "open" },
      ],
    };
    open(<Funnels funnels={[funnel]} worthwhile={0.05} />);
    expect(screen.getByText(/Most are lost on the way to opened/)).toBeTruthy();
    expect(screen.getByText("44.4%")).toBeTruthy();
    expect(screen.getAllByRole("img")).toHaveLength(1);
  });

  it("shows what a conversion costs, and leaves out views that are not known", () => {
    const arm = (letter: string, cost: number) => ({
      letter,
      cost,
      impressions: 0,
      cost_each: interval(8, 10, 12.5),
      per_thousand: interval(null, null, null),
      cost_lift: letter === "B" ? interval(0.02, 0.1, 0.2) : null,
      impressions_lift: null,
    });
    const spend: Spend = { metric: "paid bookings", currency: "CHF", arms: [arm("A", 500), arm("B", 605)] };
    open(<SpendPanel spend={spend} reading={reading()} />);
    expect(screen.getByText("Cost of a conversion")).toBeTruthy();
    expect(screen.getByText("count model: spend taken as known; amounts in CHF")).toBeTruthy();
    expect(screen.getByText("605")).toBeTruthy();
    expect(screen.getByText("+10.0%")).toBeTruthy();
    expect(screen.queryByText("Views")).toBeNull();
  });

  it("holds a second count against the first, and lets it be taken away", async () => {
    const one: SecondCount = {
      source: "analytics",
      days: ["2026-03-02"],
      tolerance: 0.05,
      letters: ["A", "B"],
      quantities: [
        {
          quantity: "conversions",
          first: [38, 61],
          second: [37, 48],
          differences: [-0.026, -0.213],
          beyond: [false, true],
          apart: [],
          drifts: true,
          a_week: -0.04,
          drift_pvalue: 0.001,
          first_by_day: [[38, 61]],
          second_by_day: [[37, 48]],
        },
      ],
      causes: ["Units agree and conversions do not"],
      same_verdict: false,
      sentence: "The verdict would be another.",
    };
    const calls = serve({ [`DELETE ${PATH}/second-counts/analytics`]: [{ body: null }] });
    open(<SecondCountsPanel counts={[one]} />);
    expect(screen.getByText("The verdict would be another.").className).toContain("tone-warning");
    const table = screen.getByLabelText("Second count by analytics");
    expect(within(table).getByText("−21.3%")).toBeTruthy();
    expect(within(table).getAllByText("beyond")).toHaveLength(1);
    expect(screen.getByText("The counts of conversions move apart: −4.0% a week.")).toBeTruthy();
    fireEvent.click(screen.getByText("Remove"));
    await waitFor(() => expect(calls).toHaveLength(1));
  });

  it("opens how a figure is made", async () => {
    const made = {
      title: "Lift of B against A, paid bookings",
      words: "The levels’ ratio, minus 1.",
      formula: "lift = r₁/r₀ − 1",
      source: "Koopman (1984)",
      inputs: [{ name: "x₁", value: "2284" }],
      steps: [{ name: "estimate", value: "0.084" }],
    };
    serve({ [`GET ${PATH}/derivation`]: [{ body: made }] });
    open(
      <Figured experiment="fare-calendar" figure="lift" variant="B" label="Lift of B">
        +8.4%
      </Figured>,
    );
    fireEvent.click(screen.getByText("+8.4%"));
    expect(await screen.findByText("Koopman (1984)")).toBeTruthy();
    expect(screen.getByText("2284")).toBeTruthy();
    expect(screen.getByText("0.084")).toBeTruthy();
  });

  it("asks for the working of the figure where it stands", async () => {
    const made = { title: "Boundary at look 2", words: "w", formula: "f", source: "s", inputs: [], steps: [] };
    const calls = serve({ [`GET ${PATH}/derivation`]: [{ body: made }] });
    open(
      <Figured experiment="fare-calendar" figure="boundary" variant="B" look={2} label="Boundary at look 2">
        2.513
      </Figured>,
    );
    fireEvent.click(screen.getByText("2.513"));
    expect(await screen.findByText("Boundary at look 2")).toBeTruthy();
    expect(calls[0]?.query).toBe("figure=boundary&variant=B&look=2");
  });

  it("saves segments under a name and chooses the set", async () => {
    const data = {
      by: "device",
      sets: [{ id: 4, name: "Small screens", by: "device", values: ["device=phone"] }],
      segments: [{ name: "device=phone" }, { name: "device=desk" }],
    } as unknown as SegmentEvidence;
    const kept = { id: 7, name: "Phones", by: "device", values: ["device=phone"] };
    const calls = serve({ "POST /segment-sets": [{ status: 201, body: kept }] });
    const chosen: string[] = [];
    open(<SegmentSets data={data} chosen="" choose={(set) => chosen.push(set)} />);
    expect(within(screen.getByLabelText("Set of segments")).getByText("Small screens")).toBeTruthy();
    fireEvent.click(screen.getByText("Save a set…"));
    fireEvent.click(screen.getByLabelText("phone"));
    fireEvent.change(screen.getByLabelText("Name of the set"), { target: { value: "Phones" } });
    fireEvent.click(screen.getByText("Save"));
    await waitFor(() => expect(chosen).toEqual(["7"]));
    expect(calls[0]?.body).toEqual({ name: "Phones", by: "device", values: ["device=phone"] });
  });
});

describe("the verdict’s outlook", () => {
  it("says what would change it", () => {
    open(<WouldChange reading={reading({ would_change: ["With 43 fewer its interval would touch zero."] })} />);
    expect(screen.getByText(/With 43 fewer/)).toBeTruthy();
  });

  it("ranks the variants and says which are told apart", () => {
    const ranking = [
      { letter: "B", chance: 0.9995, behind: interval(0, 0, 0), separable: false },
      { letter: "A", chance: 0.0005, behind: interval(-0.12, -0.08, -0.03), separable: true },
    ];
    open(<Ranking experiment="fare-calendar" reading={reading({ ranking })} />);
    expect(screen.getByText("over 99.9%")).toBeTruthy();
    expect(screen.getByText("leads")).toBeTruthy();
    expect(screen.getByText("different")).toBeTruthy();
  });

  it("puts metrics that pull apart on one axis, each with its worth a month", () => {
    const side = {
      key: "fare",
      name: "fare per visitor",
      role: "secondary" as const,
      margin: null,
      kind: "mean" as const,
      unit: "money",
      currency: "EUR",
      good_direction: "up" as const,
      arms: [],
      comparisons: [
        sideComparison({
          lift: interval(-0.2, -0.12, -0.05),
          tone: "behind",
          effect_per_month: interval(-90_400, -51_000, -12_000),
          sentence: "fare per visitor, B against A",
        }),
      ],
    };
    const pulls = [{ letter: "B", ahead: ["paid bookings"], behind: ["fare per visitor"], unproven: [] }];
    open(
      <TradeOff
        experiment="fare-calendar"
        reading={reading({
          secondary: [side],
          conflicts: pulls,
          comparisons: [comparison({ effect_per_month: interval(274, 731, 1212) })],
        })}
      />,
    );
    expect(screen.getByText("B pulls two ways")).toBeTruthy();
    expect(screen.getByText("+730 (+270 to +1,200)")).toBeTruthy();
    expect(screen.getByText("−51,000 EUR (−90,000 to −12,000)")).toBeTruthy();
    expect(screen.getAllByRole("img")).toHaveLength(2);
  });

  it("does not invent what is not known", () => {
    expect(worthText(null, { kind: "rate", unit: "percent", currency: "" })).toBe("not known");
    expect(worthText(interval(null, 100, null), { kind: "rate", unit: "percent", currency: "" })).toBe(
      "+100 (no limit to no limit)",
    );
  });
});

describe("the handover", () => {
  const nothing: FullHandover = { rollout: null, places: [], lesson: { learnt: "", why: "" } };
  const decided = experiment({ state: "decided", decision: "B", data_from: "events" });

  it("plans a rollout by steps, with some held out, until a day", async () => {
    const calls = serve({ [`PUT ${PATH}/rollout`]: [{ body: nothing }] });
    let closed = false;
    open(<RolloutForm rollout={null} close={() => (closed = true)} />, decided);
    fireEvent.click(screen.getByText("By steps: 10, 50, 100%"));
    fireEvent.click(screen.getByLabelText("Remove step 2"));
    for (const [label, value] of [
      ["Day of step 1", "2026-04-01"],
      ["Day of step 2", "2026-04-08"],
      ["Held out, in percent", "5"],
      ["Until the release, last day (may be empty)", "2026-05-01"],
    ] as const)
      fireEvent.change(screen.getByLabelText(label), { target: { value } });
    fireEvent.click(screen.getByText("Save the rollout"));
    await waitFor(() => expect(closed).toBe(true));
    expect(calls[0]?.body).toEqual({
      steps: [
        { day: "2026-04-01", share: 0.1 },
        { day: "2026-04-08", share: 1 },
      ],
      lines: [{ name: "Everybody", letter: "B", rules: [] }],
      holdout: 0.05,
      until: "2026-05-01",
      without_test: false,
    });
  });

  it("says beside the form which step is not accepted, and keeps what was typed", async () => {
    const message = "steps.0.share (0) must be above 0% and at most 100%";
    serve({ [`PUT ${PATH}/rollout`]: [{ status: 422, body: { errors: [{ field: "steps.0.share", message }] } }] });
    open(<RolloutForm rollout={null} close={() => undefined} />, decided);
    fireEvent.change(screen.getByLabelText("Share of step 1"), { target: { value: "0" } });
    fireEvent.click(screen.getByText("Save the rollout"));
    expect((await screen.findByRole("alert")).textContent).toBe(message);
    expect(screen.getByLabelText<HTMLInputElement>("Share of step 1").value).toBe("0");
  });

  it("adds and ticks off places, and keeps lessons", async () => {
    const place = { id: 3, text: "Price list", who: "Ada", done_at: null, done_by: "" };
    const with_place = { ...nothing, places: [place] };
    const calls = serve({
      [`POST ${PATH}/places`]: [{ body: with_place }],
      [`POST ${PATH}/places/3`]: [{ body: with_place }],
      [`PUT ${PATH}/lesson`]: [{ body: with_place }],
    });
    open(<HandoverPanel />, decided, [[keys.handover("fare-calendar"), nothing]]);
    fireEvent.change(screen.getByLabelText("A place to change"), { target: { value: "Price list" } });
    fireEvent.click(screen.getByText("Add"));
    fireEvent.click(await screen.findByLabelText("Price list"));
    await waitFor(() => expect(calls).toHaveLength(2));
    const learnt = screen.getByLabelText("What we know now that we did not know before");
    fireEvent.change(learnt, { target: { value: "Calendars help." } });
    fireEvent.blur(learnt);
    await waitFor(() => expect(calls).toHaveLength(3));
    expect(calls.map((call) => call.body)).toEqual([
      { text: "Price list", who: "" },
      { done: true },
      { learnt: "Calendars help.", why: "" },
    ]);
  });

  it("plans no rollout where control is kept", () => {
    open(<HandoverPanel />, experiment({ state: "decided", decision: "A" }), [
      [keys.handover("fare-calendar"), nothing],
    ]);
    expect(screen.queryByText("Rollout")).toBeNull();
    expect(screen.getByText("Places to change by hand")).toBeTruthy();
  });
});

describe("sharing", () => {
  const link = {
    id: 5,
    kind: "report",
    path: "/shared/5.sig",
    note: "Board",
    state: "open",
    made_by: "Mona Orrell",
    made_at: "2026-03-30T08:00Z",
    expires_at: "2026-04-29T08:00Z",
    opened: 2,
  };

  it("makes a link, shows its address, withdraws it", async () => {
    const calls = serve({
      [`GET ${PATH}/report-links`]: [
        { body: [{ ...link, kind: "engineer", note: "Web team" }] },
        { body: [link] },
        { body: [{ ...link, state: "withdrawn" }] },
      ],
      [`POST ${PATH}/report-links`]: [{ status: 201, body: link }],
      [`POST ${PATH}/report-links/5/withdraw`]: [{ body: { ...link, state: "withdrawn" } }],
    });
    show(<ShareDialog experiment="fare-calendar" kind="report" close={() => undefined} />);
    expect(await screen.findByText("No link has been made yet.")).toBeTruthy();
    fireEvent.change(screen.getByLabelText(/For whom/), { target: { value: "Board" } });
    fireEvent.click(screen.getByText("Make a link"));
    const address = await screen.findByLabelText<HTMLInputElement>("Address of Board");
    expect(address.value).toMatch(/\/shared\/5\.sig$/);
    fireEvent.click(screen.getByText("Withdraw…"));
    fireEvent.click(screen.getByRole("button", { name: "Withdraw" }));
    expect(await screen.findByText("withdrawn")).toBeTruthy();
    expect(calls.find((call) => call.method === "POST")?.body).toEqual({ kind: "report", days: 30, note: "Board" });
  });

  it("says why a link does not open", async () => {
    serve({ "GET /shared/5.sig": [{ status: 410, body: { title: "This link has expired." } }] });
    show(
      <Routes>
        <Route path="/shared/:token" element={<SharedReportPage />} />
      </Routes>,
      { address: "/shared/5.sig" },
    );
    expect((await screen.findByRole("alert")).textContent).toContain("This link has expired.");
  });
});

describe("the casebook", () => {
  const casebook: Casebook = {
    record: {
      decided: 1,
      sound: 1,
      won: 1,
      lost: 0,
      flat: 0,
      win_rate: interval(0.2, 1, 1),
      winners_seen: 0.08,
      winners_adjusted: 0.06,
      forecasts: 1,
      forecasts_held: 1,
      forecast_bias: 0.01,
      sentences: ["1 of 1 won."],
    },
    cases: [
      {
        key: "fare-calendar",
        name: "Fare calendar",
        area: "Booking",
        metric: "paid bookings",
        verdict: "winner",
        verdict_name: "Winner",
        short: "B ahead",
        decision: "B",
        decided_at: "2026-03-30T08:00:00Z",
        good_direction: "up",
        worthwhile_lift: 0.03,
        lift: interval(0.03, 0.084, 0.14),
        adjusted_text: "+7.9% adjusted for stopping",
        partially_pooled: interval(0.02, 0.06, 0.1),
        tone: "ahead",
        learnt: "Calendars help.",
        forecasts: 2,
        forecasts_held: 1,
        places_open: 2,
      },
    ],
    areas: ["Booking"],
    count: 1,
  };
  const asked = { search: "", area: "", verdict: "" };

  it("shows the record, each case and what is left to do", () => {
    show(<CasebookPage />, { known: [[keys.casebook(asked), { pages: [casebook], pageParams: [0] }]] });
    expect(screen.getByText("1 of 1 won.")).toBeTruthy();
    expect(screen.getByText("Calendars help.")).toBeTruthy();
    expect(screen.getByText("1 of 2 held")).toBeTruthy();
    expect(screen.getByText("2 places still to be changed")).toBeTruthy();
    expect(screen.getByText("+6.0%")).toBeTruthy();
    expect(screen.getByText("+7.9% adjusted for stopping")).toBeTruthy();
    expect(screen.getByRole("link", { name: "Fare calendar" }).getAttribute("href")).toBe(
      "/experiments/fare-calendar/verdict",
    );
  });

  it("asks for an area and says when nothing fits", async () => {
    serve({ "GET /casebook": [{ body: { ...casebook, cases: [], count: 0 } }] });
    show(<CasebookPage />, { known: [[keys.casebook(asked), { pages: [casebook], pageParams: [0] }]] });
    fireEvent.change(screen.getByLabelText("Area"), { target: { value: "Booking" } });
    expect(await screen.findByText("No match")).toBeTruthy();
  });

  it("shows a page of the cases, says how many there are, and brings the next", async () => {
    const calls = serve({
      "GET /casebook": [
        { body: { ...casebook, cases: [{ ...casebook.cases[0], key: "b", name: "Second" }], count: 2 } },
      ],
    });
    show(<CasebookPage />, {
      known: [[keys.casebook(asked), { pages: [{ ...casebook, count: 2 }], pageParams: [0] }]],
    });
    expect(screen.getByText(/1 of 2; sorting/)).toBeTruthy();
    fireEvent.click(screen.getByRole("button", { name: "Show more" }));
    expect(await screen.findByText("Second")).toBeTruthy();
    expect(calls.find((call) => call.path === "/casebook")?.query).toContain("offset=1");
    expect(screen.queryByRole("button", { name: "Show more" })).toBeNull();
  });

  it("lists what control showed, each test a link that says what was planned", async () => {
    const level = (name: string, value: number, planned = "") => ({
      key: name, name, level: value, level_text: `${100 * value}%`, units: 900, planned_text: planned,
      traffic_text: planned && "900 a day, 90% of the plan",
    }); // prettier-ignore
    const group = {
      metric: "paid bookings", group: "", tests: 2, least_text: "4%", lower_text: "4.5%", median_text: "5%", upper_text: "5.5%",
      most_text: "6%", levels: [level("one", 0.04, "5%"), level("two", 0.06)],
    }; // prettier-ignore
    const found = { by: "metric", choices: ["metric", "area"], groups: [group] };
    serve({ "GET /casebook/levels": [{ body: { ...found, by: "area", groups: [] } }] });
    show(<CasebookPage />, { known: [[keys.casebook(asked), { pages: [casebook], pageParams: [0] }], [keys.levels("metric"), found]] }); // prettier-ignore
    expect(screen.getByText("4% to 6%")).toBeTruthy();
    const dot = screen.getByLabelText("one: 4%, planned with 5%; 900 a day, 90% of the plan");
    expect(dot.getAttribute("href")).toBe("/experiments/one/evidence");
    fireEvent.change(screen.getByLabelText("List levels by"), { target: { value: "area" } });
    expect(await screen.findByText(/No decided experiment has levels by area/)).toBeTruthy();
  });

  it("is empty until something is decided", () => {
    const empty = { ...casebook, record: { ...casebook.record, decided: 0, sentences: [] }, cases: [], count: 0 };
    show(<CasebookPage />, { known: [[keys.casebook(asked), { pages: [empty], pageParams: [0] }]] });
    expect(screen.getByText("No test of visitors is decided yet")).toBeTruthy();
  });
});
