import { cleanup, fireEvent, screen, waitFor, within } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import type { Live } from "../api/client";
import { keys } from "../api/keys";
import { tableText } from "../lib/tableText";
import { EditingProvider } from "../sheets/editing";
import { Segments as EvidenceSegments } from "../sheets/evidence/Segments";
import { StartDialog } from "../sheets/StartDialog";
import { StateActions } from "../sheets/StateActions";
import { AudiencePanel } from "../sheets/traffic/AudiencePanel";
import { Engineers } from "../sheets/traffic/Engineers";
import { Forced } from "../sheets/traffic/Forced";
import { ReadinessPanel } from "../sheets/traffic/ReadinessPanel";
import { Source } from "../sheets/traffic/Source";
import { Split } from "../sheets/traffic/Split";
import { TakePart } from "../sheets/traffic/TakePart";
import { readProperties, VisitorCheck } from "../sheets/traffic/VisitorCheck";
import { ChangeNotes } from "../sheets/watch/ChangeNotes";
import { FilesIn } from "../sheets/watch/FilesIn";
import { DataQualityIssues, Intake, Latest, LookedAt, Segments } from "../sheets/watch/LivePanels";
import { Problem, type ConditionGroup } from "../api/client";
import { experiment, interval, serve, SESSION, show } from "../test/kit";
import { readSegments } from "../library/PropertyLines";
import { ConnectionsPage } from "./ConnectionsPage";
import { NoticesPage } from "./NoticesPage";

afterEach(cleanup);
const PATH = "/experiments/fare-calendar";
type Known = [readonly unknown[], unknown][];

function open(part: React.ReactNode, known = experiment({ data_from: "events" }), more: Known = []) {
  return show(<EditingProvider experiment={known}>{part}</EditingProvider>, {
    known: [[keys.session, SESSION], [keys.experiment(known.key), known], ...more],
  });
}

const LIVE: Live = {
  counts_events: true,
  letters: ["A", "B"],
  units: [520, 444],
  latest: [
    {
      at: "2026-03-10T12:00:00Z",
      received: "2026-03-10T12:00:01Z",
      unit: "web-1",
      name: "exposure",
      letter: "B",
      counted: true,
      forced: true,
      held: false,
      properties: "device: phone",
    },
  ],
  hours: [],
  days: [],
  segments: [
    { name: "device=phone", units: [520, 444], pvalue: 0.0000004, alarm: true },
    { name: "device=tablet", units: [100, 101], pvalue: 0.94, alarm: false },
  ],
  events: [{ name: "booking_paid", times: 12, last_at: null, metrics: ["paid bookings"] }],
  last_day: { events: 1200, duplicates: 3, late: 4, held: 5, unexposed: 6, unknown: ["seal_seen"] },
  mixed: 7,
  who: { identity: "id", several: 0, across: 0, never_counted: 0, with_another: 0, never_counted_in_words: "" },
  passages: [],
  page_changes: [],
  looked_at: null,
  issues: [{ kind: "split", sentence: "The split is not as planned", advice: "Find where", tone: "unsound" }],
};

describe("the split", () => {
  it("is saved in percentages only once they add up to 100", async () => {
    const calls = serve({ [`PATCH ${PATH}`]: [{ body: experiment({ data_from: "events", version: 4 }) }] });
    open(<Split />);
    fireEvent.click(screen.getByText("By percentages"));
    fireEvent.change(screen.getByLabelText("Percentage of A"), { target: { value: "70" } });
    expect(screen.getByText("They add up to 120%: 20% too much.")).toBeTruthy();
    expect(screen.getByText("Use these")).toHaveProperty("disabled", true);
    fireEvent.change(screen.getByLabelText("Percentage of B"), { target: { value: "x" } });
    expect(screen.getByText("Each must be a number above 0.")).toBeTruthy();
    fireEvent.change(screen.getByLabelText("Percentage of B"), { target: { value: "29" } });
    expect(screen.getByText("They add up to 99%: 1% are missing.")).toBeTruthy();
    fireEvent.change(screen.getByLabelText("Percentage of B"), { target: { value: "30" } });
    fireEvent.click(screen.getByText("Use these"));
    await waitFor(() => expect(calls).toHaveLength(1));
    const { changes } = calls[0]?.body as { changes: { variants: { weight: number }[] } };
    expect(changes.variants.map((variant) => variant.weight)).toEqual([70, 30]);
  });
});

const SIZE = {
  units: { estimate: 400, low: 400, high: 400 },
  admitted: { estimate: 100, low: 100, high: 100 },
  share: 0.25,
  never_sent: [],
  sentence: "Of 400 units that came since 2 March, 100 would have been let in, 25.0%.",
};
const NO_AUDIENCES: [readonly unknown[], unknown][] = [
  [keys.audiences, []],
  [keys.readyAudiences, []],
];

describe("the audience", () => {
  it("is drafted, then used as a whole", async () => {
    const calls = serve({ [`PATCH ${PATH}`]: [{ body: experiment({ data_from: "events", version: 4 }) }] });
    calls.length = 0;
    open(<AudiencePanel />, undefined, NO_AUDIENCES);
    fireEvent.click(screen.getByText("Add a rule"));
    expect(screen.getByText(/^Complete the conditions to see how many/)).toBeTruthy();
    fireEvent.change(screen.getByLabelText("Group 1, condition 1: property"), { target: { value: "device" } });
    fireEvent.change(screen.getByLabelText("Group 1, condition 1: value"), { target: { value: "phone" } });
    expect(screen.getByText("not saved yet")).toBeTruthy();
    fireEvent.click(screen.getByText("Save rules"));
    await waitFor(() => expect(calls.some((call) => call.method === "PATCH")).toBe(true));
    expect(calls.find((call) => call.method === "PATCH")?.body).toMatchObject({
      changes: {
        audience_rules: [
          { kind: "all", conditions: [{ attribute: "device", operator: "is", values: ["phone"], kind: "text" }] },
        ],
      },
    });
  });

  it("begins with one that is kept or ready-made, is looked at before it is saved, and says whom it lets in", async () => {
    const groups: ConditionGroup[] = [
      { kind: "any", conditions: [{ attribute: "app", operator: "is_set", values: [], kind: "text" }] },
    ];
    const open_one: ConditionGroup[] = [
      { kind: "all", conditions: [{ attribute: "country", operator: "any_of", values: [], kind: "text" }] },
    ];
    const kept = {
      id: 7,
      name: "App users",
      description: "",
      groups,
      words: "app is set",
      made_by: "Mona",
      size: SIZE,
    };
    const ready = { name: "In certain countries", description: "", groups: open_one, words: "country is any of …" };
    const calls = serve({
      "POST /audiences/size": [{ body: SIZE }, { body: SIZE }],
      "GET /audiences": [{ body: [kept] }],
      "PUT /audiences/7": [{ body: kept }],
    });
    open(<AudiencePanel />, undefined, [
      [keys.audiences, [kept]],
      [keys.readyAudiences, [{ ...ready, to_fill_in: true, size: null }]],
    ]);
    const choice = screen.getByLabelText("Audience to begin with");
    expect(within(choice).getByText("App users · 25%")).toBeTruthy();
    fireEvent.change(choice, { target: { value: "kept 7" } });
    expect(screen.getByText(SIZE.sentence)).toBeTruthy();
    fireEvent.click(screen.getByText("Use it"));
    expect(screen.getByText("not saved yet")).toBeTruthy();
    await screen.findByText(SIZE.sentence);
    // Under the name of one that is kept it takes its place.
    fireEvent.change(screen.getByLabelText("Name for the library"), { target: { value: "app users" } });
    fireEvent.click(screen.getByText("Replace in the library"));
    await waitFor(() => expect(calls.find((call) => call.method === "PUT")?.body).toMatchObject({ name: "App users" }));
    fireEvent.change(choice, { target: { value: "ready In certain countries" } });
    fireEvent.click(screen.getByText("Use it"));
    expect(screen.getByText(/^Complete the conditions/)).toBeTruthy();
    expect(calls.some((call) => call.method === "PATCH")).toBe(false);
  });

  it("is checked for a visitor, with the rule that decided", async () => {
    const calls = serve({
      [`POST ${PATH}/would-take-part`]: [
        {
          body: {
            variant: "A",
            name: "List first",
            parameters: {},
            reason: "audience",
            because: "not met: device is phone (device is tablet)",
            problem: null,
            takes_part: false,
          },
        },
      ],
    });
    open(<VisitorCheck />);
    fireEvent.change(screen.getByLabelText("Properties of the visitor"), { target: { value: "device tablet" } });
    expect(screen.getByText("Check")).toHaveProperty("disabled", true);
    fireEvent.change(screen.getByLabelText("Properties of the visitor"), { target: { value: "device: tablet" } });
    fireEvent.click(screen.getByText("Check"));
    await screen.findByText("not met: device is phone (device is tablet)");
    expect(screen.getByText("Does not qualify")).toBeTruthy();
    expect(calls[0]?.body).toEqual({ unit: "visitor-1", properties: { device: "tablet" } });
  });

  it.each([
    ["", {}],
    ["device: phone, resident = true", { device: "phone", resident: true }],
    ["url: https://a.example/x", { url: "https://a.example/x" }],
    ["device", null],
  ])("reads the properties %j", (text, match) => expect(readProperties(text)).toEqual(match));
});

describe("who takes part", () => {
  it("shows each step of the ramp with its date", () => {
    const ramp = [
      { days: 2, participation: 0.05 },
      { days: 3, participation: 0.5 },
    ];
    open(<TakePart />, experiment({ data_from: "events", ramp, planned_start: "2026-03-02", participation: 0.8 }), [
      [keys.exclusion, []],
    ]);
    const steps = within(screen.getByLabelText("Steps of the ramp")).getAllByRole("listitem");
    expect(steps.map((step) => step.textContent)).toEqual([
      "5% from Mon 2 Mar",
      "50% from Wed 4 Mar",
      "80% from Sat 7 Mar",
    ]);
  });

  it("shows who else is in the exclusion group", () => {
    const members = [
      { key: "fare-calendar", name: "Fare calendar", state: "draft", share: 0.4 },
      { key: "other", name: "Weather banner", state: "running", share: 0.5 },
    ];
    const known = experiment({ data_from: "events", exclusion_group: "home", exclusion_share: 0.4 });
    open(<TakePart />, known, [[keys.exclusion, [{ name: "home", free: 0.5, members }]]]);
    expect(screen.getByText("With Weather banner (50%, running)")).toBeTruthy();
    expect(screen.getByText("50% of the group are free")).toBeTruthy();
  });
});

describe("forced variants", () => {
  it("are added to those that are there, and taken away one by one", async () => {
    const known = experiment({ data_from: "events", forced: { me: "A" } });
    const calls = serve({ [`PATCH ${PATH}`]: [{ body: known }, { body: known }] });
    open(<Forced />, known);
    fireEvent.change(screen.getByLabelText("Visitor to force"), { target: { value: " web-1 " } });
    fireEvent.click(screen.getByText("Force"));
    await waitFor(() => expect(calls).toHaveLength(1));
    expect(calls[0]?.body).toMatchObject({ changes: { forced: { me: "A", "web-1": "B" } } });
    fireEvent.click(screen.getByLabelText("✕ No longer force me"));
    await waitFor(() => expect(calls).toHaveLength(2));
    expect(calls[1]?.body).toMatchObject({ changes: { forced: {} } });
  });
});

describe("the start", () => {
  it("lists what is not ready and goes on with a reason only", () => {
    const started: unknown[] = [];
    const refused = new Problem(409, { title: "Not ready", unmet: ["booking_paid comes in"] });
    open(<StartDialog working={false} close={() => undefined} run={(step) => started.push(step)} error={refused} />);
    const start = screen.getByRole("button", { name: "Start", hidden: true });
    expect(start).toHaveProperty("disabled", true);
    fireEvent.change(screen.getByPlaceholderText("the checks were made on the test site"), {
      target: { value: "checked" },
    });
    fireEvent.click(start);
    expect(started).toEqual([{ kind: "start", started_on: null, starts_at: null, ends_at: null, reason: "checked" }]);
  });

  it("may lie ahead", () => {
    const started: unknown[] = [];
    open(<StartDialog working={false} close={() => undefined} run={(step) => started.push(step)} error={null} />);
    fireEvent.click(screen.getByLabelText("At a time to come"));
    expect(screen.getByRole("button", { name: "Schedule", hidden: true })).toHaveProperty("disabled", true);
    fireEvent.change(screen.getByLabelText(/^Start/), { target: { value: "2026-04-02T09:00" } });
    fireEvent.click(screen.getByRole("button", { name: "Schedule", hidden: true }));
    expect(started).toMatchObject([{ started_on: null, starts_at: "2026-04-02T09:00" }]);
  });

  it.each([
    ["scheduled", ["Start it…", "Cancel the schedule", "Copy", "Hand over…"]],
    ["ended", ["New round…", "Archive", "Copy", "Hand over…"]],
  ] as const)("offers what a %s experiment can do", (state, labels) => {
    open(<StateActions />, experiment({ state }));
    expect(screen.getAllByRole("button").map((button) => button.textContent)).toEqual(labels);
  });

  it("is held against readiness, each point with its fix", () => {
    const point = { sheet: "watch", needed: false };
    const points = [
      { ...point, label: "The shares add up to 100%", met: true, seen: "50%, 50%", fix: "Give shares" },
      { ...point, label: "booking_paid comes in", met: false, seen: "not within two weeks", fix: "Do it once" },
    ];
    open(<ReadinessPanel />, undefined, [[keys.readiness("fare-calendar"), { points, ready: false }]]);
    expect(screen.getByText("1 of 2 still open")).toBeTruthy();
    expect(screen.getByRole("link", { name: "Watch" }).getAttribute("href")).toBe(`${PATH}/watch`);
    expect(screen.queryByText(/Give shares/)).toBeNull();
  });
});

describe("who assigns", () => {
  it("warns that requests are not independent", () => {
    open(<Source />, experiment({ data_from: "events", assignment_unit: "request" }));
    expect(screen.getByText(/counted as if they were independent/)).toBeTruthy();
  });

  it("hands the engineer a snippet in each language", () => {
    const snippets = [
      { name: "page", title: "On the page", code: "<script" },
      { name: "python", title: "Python", code: "import json" },
    ];
    open(<Engineers />, undefined, [
      [keys.snippets("fare-calendar"), snippets],
      [keys.machineKeys, []],
    ]);
    expect(screen.getByLabelText("Snippet").textContent).toBe("<script");
    fireEvent.click(screen.getByRole("tab", { name: "Python" }));
    expect(screen.getByLabelText("Snippet").textContent).toBe("import json");
    expect(screen.getByText(/No system has a key yet/)).toBeTruthy();
  });
});

describe("Watch", () => {
  it("shows data quality issues first, marks a bad segment and what does not count", () => {
    open(
      <>
        <DataQualityIssues live={LIVE} />
        <Latest live={LIVE} running fold={false} />
        <Segments live={LIVE} />
        <Intake live={LIVE} />
      </>,
    );
    expect(screen.getByText("✕ The split is not as planned")).toBeTruthy();
    expect(screen.getByText(/forced, does not count/)).toBeTruthy();
    const rows = screen.getAllByRole("row").map((row) => row.textContent);
    expect(rows).toContain("✕ device: phone52044446.1%<0.0001");
    expect(rows).toContain("device: tablet10010150.2%0.94");
    expect(screen.getByText("never seen")).toBeTruthy();
    expect(screen.getByText("seal_seen")).toBeTruthy();
  });

  it("says up to when data were looked at that are counted where they live", () => {
    const run = { until: "2026-03-10T12:00:00Z", at: "2026-03-10T12:01:00Z", engine: "Spark" };
    const differences = [
      { day: "2026-03-08", before: 400, now: 412 },
      { day: "2026-03-09", before: 390, now: 390 },
    ];
    const counted_from = "with the key “warehouse”";
    const looked_at = { ...run, counted_from, differences, days: 26, changed: 2, units: 12_000, seconds: 11.2 };
    const { container } = open(<LookedAt live={{ ...LIVE, looked_at }} unit="visitors" />);
    expect(container.textContent).toContain("by Spark, with the key “warehouse”");
    expect(container.textContent).toContain("Data up to 10 Mar, 12:00: 12,000 visitors on 26 days.");
    expect(container.textContent).toContain("The last run took 12 s; 2 days changed.");
    const rows = screen.getAllByRole("row").map((row) => row.textContent);
    expect(rows).toContain("Sun 8 Mar400412");
    expect(rows).toContain("Mon 9 Mar390the same; what they did changed");
  });

  it("notes what changed elsewhere", async () => {
    const calls = serve({ [`POST ${PATH}/notes`]: [{ status: 201, body: {} }] });
    open(<ChangeNotes />, undefined, [[keys.notes("fare-calendar"), []]]);
    fireEvent.change(screen.getByLabelText("Day of the change"), { target: { value: "2026-03-12" } });
    fireEvent.change(screen.getByLabelText("What changed"), { target: { value: "Campaign" } });
    fireEvent.click(screen.getByText("Add"));
    await waitFor(() => expect(calls[0]?.body).toEqual({ day: "2026-03-12", text: "Campaign", everywhere: true }));
  });

  it("copies tables that run no formula", () => {
    expect(
      tableText(
        ["unit", "n"],
        [
          ["=1+1", -3],
          ["a\tb\nc", 2],
        ],
      ),
    ).toBe("unit\tn\n'=1+1\t-3\na b c\t2");
  });
});

describe("segments of the evidence", () => {
  const line = (name: string, estimate: number | null, small = false) => ({
    name,
    units: [1000, 1010],
    levels: [0.1, 0.11],
    lift: estimate === null ? null : interval(estimate - 0.05, estimate, estimate + 0.05),
    pvalue: estimate === null ? null : 0.04,
    tone: "open" as const,
    partially_pooled: estimate === null ? null : interval(0, estimate / 2, 0.1),
    small,
  });
  const DATA = {
    by: "device",
    choices: ["device", "language"],
    metric: "paid-bookings",
    metric_name: "paid bookings",
    kind: "rate" as const,
    unit: "percent",
    currency: "",
    variant: "B",
    sentence: "The lift does not differ by device beyond chance (p = 0.4): read the lift over all.",
    pvalue: 0.4,
    adjusted_pvalue: 0.8,
    i_squared: 0,
    reversal: false,
    segments: [line("device=phone", 0.1), line("device=kiosk", null, true)],
    left_out: 3,
    within: interval(-0.02, 0.06, 0.15),
    crude: interval(0, 0.08, 0.16),
    effect_per_month_of_all: null,
    chosen: [],
    sets: [],
  };
  const asked = { by: "", metric: "", variant: "B" };

  it("are drawn on one axis; small ones are marked, never hidden", () => {
    open(<EvidenceSegments spoken="B" />, undefined, [[keys.segmentEvidence("fare-calendar", asked), DATA]]);
    expect(screen.getByText(/read the lift over all/)).toBeTruthy();
    const rows = screen.getAllByRole("row").map((row) => row.textContent);
    expect(rows[1]).toContain("phone");
    expect(rows[1]).toContain("+10.0%");
    expect(rows[2]).toContain("kiosk too small to read");
    expect(screen.getByText("and 3 smaller ones")).toBeTruthy();
    expect(rows.slice(-2).map((row) => row?.slice(0, 20))).toEqual(["Stratified estimate+", "Unadjusted total+8.0"]);
  });

  it("are asked anew by another property", async () => {
    const calls = serve({ [`GET ${PATH}/segments`]: [{ body: { ...DATA, by: "language", reversal: true } }] });
    open(<EvidenceSegments spoken="B" />, undefined, [[keys.segmentEvidence("fare-calendar", asked), DATA]]);
    fireEvent.change(screen.getByLabelText("Segments by"), { target: { value: "language" } });
    await waitFor(() => expect(calls).toHaveLength(1));
    await screen.findByText(/^✕/);
  });

  it("say where to choose properties while none are kept", () => {
    const none = { ...DATA, choices: [], segments: [] };
    open(<EvidenceSegments spoken="B" />, undefined, [[keys.segmentEvidence("fare-calendar", asked), none]]);
    expect(screen.getByRole("link", { name: "Connections" })).toBeTruthy();
  });
});

describe("files", () => {
  const REPLACED = [{ metric: "paid bookings", letter: "A", days: 2, units: [40, 31], total: [3, 2] }];
  const SEEN = {
    digest: "d",
    decimal_mark: null,
    decimal_open: false,
    rows: 5,
    wrong_count: 1,
    wrong: [{ unit: "v9", variant: "C", day: "2026-03-02", reason: "the variant is not one of the experiment's" }],
    repeated: 0,
    repeated_units: [],
    seen_already: "",
    replaces: [],
    first_day: "2026-03-02",
    last_day: "2026-03-03",
    metrics: ["paid bookings"],
    ignored: ["colour"],
    never_counted: 2,
    units: [2, 2],
    totals: [[1, 1]],
    segments: 0,
    stored: false,
  };

  it("of units are shown first, then stored without the wrong rows", async () => {
    const calls = serve({
      [`POST ${PATH}/unit-files/preview`]: [{ body: SEEN }],
      [`POST ${PATH}/unit-files`]: [{ status: 201, body: { ...SEEN, stored: true } }],
    });
    open(<FilesIn />);
    fireEvent.change(screen.getByLabelText("Choose a file of units"), {
      target: { files: [new File(["x"], "u.csv")] },
    });
    await screen.findByText(/v9, C, 2026-03-02: the variant is not one/);
    expect(screen.getByText("Not used: colour")).toBeTruthy();
    expect(screen.getByText("2 rows of who is never counted (Traffic) are left out.")).toBeTruthy();
    fireEvent.click(screen.getByText("Store all but the wrong rows"));
    await screen.findByText("Stored: 4 visitors.");
    expect(calls).toHaveLength(2);
  });

  it("of units with one twice cannot be stored", async () => {
    serve({
      [`POST ${PATH}/unit-files/preview`]: [
        { body: { ...SEEN, wrong_count: 0, wrong: [], repeated: 3, repeated_units: ["v7"], replaces: REPLACED } },
      ],
    });
    open(<FilesIn />);
    fireEvent.change(screen.getByLabelText("Choose a file of units"), {
      target: { files: [new File(["x"], "u.csv")] },
    });
    await screen.findByText(/^3 rows repeat a unit: v7…/);
    expect(screen.getByRole("rowheader", { name: "paid bookings, A" })).toBeTruthy();
    expect(screen.getByRole("cell", { name: "31" })).toBeTruthy();
    expect(screen.getByText("Store")).toHaveProperty("disabled", true);
  });

  it("of units that came in with another file cannot be stored", async () => {
    const said = "Visitors that came in with “march.csv” already would count twice: 2 (v1, v2)";
    serve({
      [`POST ${PATH}/unit-files/preview`]: [{ body: { ...SEEN, wrong_count: 0, wrong: [], seen_already: said } }],
    });
    open(<FilesIn />);
    fireEvent.change(screen.getByLabelText("Choose a file of units"), {
      target: { files: [new File(["x"], "u.csv")] },
    });
    await screen.findByText(`${said}.`);
    expect(screen.getByText("Store")).toHaveProperty("disabled", true);
  });

  it("of events tell what became of them, or the lines that are wrong", async () => {
    const phrase = {
      lines: 3,
      bad_count: 0,
      bad: [],
      accepted: 2,
      duplicates: 1,
      late: 0,
      held: 1,
      unexposed: 0,
      too_old: 4,
    };
    const bad = {
      ...phrase,
      bad_count: 1,
      bad: [{ line: 3, field: "at", reason: "at (soon) must be a moment" }],
      unknown: {},
    };
    serve({ "POST /event-files": [{ body: { ...phrase, unknown: { seal_seen: 1 } } }, { body: bad }] });
    open(<FilesIn />);
    const input = screen.getByLabelText("Choose a file of events");
    fireEvent.change(input, { target: { files: [new File(["x"], "e.ndjson")] } });
    await screen.findByText(
      /2 stored, 1 were stored before, 1 held.*, 4 not taken in: events of their day were put away; stored but counted by no metric: seal_seen/,
    );
    fireEvent.change(input, { target: { files: [new File(["x"], "e.ndjson")] } });
    await screen.findByText("line 3: at (soon) must be a moment");
  });
});

describe("connections and notices", () => {
  it("shows a new key once and withdraws an old one", async () => {
    const key = {
      id: 3,
      name: "App",
      start: "nv_abcde",
      made_by: "Mona",
      made_at: "2026-03-02T09:00:00Z",
      kind: "server",
      public: "",
      scopes: ["assign", "collect"],
      origins: [],
      per_minute: 0,
      expires_at: null,
      withdrawn_at: null,
      used_at: null,
      refused: 0,
    };
    const pages = {
      ...key,
      id: 5,
      name: "Pages",
      kind: "site",
      public: "nvsite_abc",
      origins: ["https://www.example.com"],
      used_at: "2026-03-09T08:00:00Z",
      refused: 1200,
    };
    const message = "origins (www.example.com): must be like https://www.example.com";
    const calls = serve({
      "POST /site-keys": [
        { status: 422, body: { title: "A value is not accepted", errors: [{ field: "origins", message }] } },
      ],
      "POST /keys": [{ status: 201, body: { ...key, id: 4, name: "Site", secret: "nv_secret" } }],
      "GET /keys": [{ body: [key, pages] }, { body: [key, pages] }],
      "DELETE /keys/3": [{ body: { ...key, withdrawn_at: "2026-03-03T09:00:00Z" } }],
    });
    show(<ConnectionsPage />, {
      known: [
        [keys.session, SESSION],
        [keys.machineKeys, [key, pages]],
        [keys.forgotten, []],
        [keys.lakes, { folder: "", lakes: [] }],
        [keys.retention, { events: 0, database: 0, free: 0, put_away: 0, put_away_days: [], held_back_by: "" }],
        [keys.segments, { segments: [["device"], ["device", "language"]] }],
      ],
    });
    expect(screen.getByLabelText("Properties, separated by commas")).toHaveProperty(
      "value",
      "device, device & language",
    );
    fireEvent.change(screen.getByLabelText("System that needs a key"), { target: { value: "Site" } });
    fireEvent.change(screen.getAllByLabelText(/^Last day, .* time \(may be empty\)$/)[1]!, {
      target: { value: "2026-06-30" },
    });
    fireEvent.click(screen.getByText("Create key"));
    await screen.findByText("nv_secret");
    expect(calls.find((call) => call.method === "POST")?.body).toEqual({
      name: "Site",
      scopes: ["assign", "collect", "read"],
      per_minute: 60_000,
      events_per_day: 0,
      expires_at: "2026-06-30T23:59:59",
    });
    expect(screen.getByText("nvsite_abc")).toBeTruthy();
    expect(screen.getByText(/last used .*1,200 requests refused/)).toBeTruthy();
    expect(screen.getByText(/never used/)).toBeTruthy();
    fireEvent.change(screen.getByLabelText("Site"), { target: { value: "More pages" } });
    fireEvent.change(screen.getByLabelText("Origins of its pages"), {
      target: { value: "www.example.com, https://b.example" },
    });
    fireEvent.click(screen.getByText("Create a site’s key"));
    await waitFor(() => expect(screen.getByRole("alert").textContent).toBe(message));
    expect(calls.at(-1)?.body).toMatchObject({
      origins: ["www.example.com", "https://b.example"],
      per_minute: 6000,
      expires_at: null,
    });
    expect(screen.getByLabelText("Origins of its pages")).toHaveProperty("value", "www.example.com, https://b.example");
    fireEvent.click(screen.getByLabelText("Withdraw… the key of App"));
    fireEvent.click(screen.getByRole("button", { name: "Withdraw" }));
    await waitFor(() => expect(calls.some((call) => call.method === "DELETE")).toBe(true));
  });

  it("reads segments as they are typed", () => {
    expect(readSegments(" device, device & language,, ")).toEqual([["device"], ["device", "language"]]);
  });

  it("leads from a notice to the sheet that helps, and marks all as read", async () => {
    const notice = {
      id: 1,
      at: "2026-03-10T12:00:00Z",
      experiment: "fare-calendar",
      name: "Fare calendar",
      tone: "unsound",
      sentence: "The split is not as planned",
      advice: "Find where",
      sheet: "watch",
      read: false,
      mailed: true,
    };
    serve({ "POST /notices/read": [{ body: { unread: 0, items: [{ ...notice, read: true }] } }] });
    show(<NoticesPage />, {
      known: [
        [keys.session, SESSION],
        [keys.notices, { unread: 1, items: [notice] }],
      ],
    });
    expect(screen.getByText("Open Watch").getAttribute("href")).toBe(`${PATH}/watch`);
    fireEvent.click(screen.getByText("Mark all as read"));
    await screen.findByText("No new notices");
  });
});
