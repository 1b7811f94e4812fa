import { cleanup, fireEvent, screen, waitFor, within } from "@testing-library/react";
import type { ReactNode } from "react";
import { afterEach, describe, expect, it } from "vitest";
import type { Allocation, AllocationRehearsal, EpochShown, Experiment, Adaptive } from "../api/client";
import { keys } from "../api/keys";
import { SharesPicture } from "../charts/SharesPicture";
import { comparison, experiment, interval, metricUse, reading, serve, SESSION, show, variant } from "../test/kit";
import { rehearsedLines } from "./allocation/AllocationRehearsal";
import { AdaptivePanel } from "./evidence/designs/AdaptivePanel";
import { Sharing, USUAL } from "./allocation/Sharing";
import { segmentsOf, sharesIn, SharesPanel, wholePercents } from "./allocation/SharesPanel";
import { EditingProvider } from "./editing";

const PATH = "/experiments/fare-calendar";

afterEach(cleanup);

function open(part: ReactNode, what = experiment(), known: [readonly unknown[], unknown][] = []) {
  return show(<EditingProvider experiment={what}>{part}</EditingProvider>, {
    known: [[keys.session, SESSION], [keys.experiment(what.key), what], ...known],
  });
}

function epoch(number: number, changes: Partial<EpochShown> = {}): EpochShown {
  return {
    number,
    started_at: `2026-03-0${number}T00:00:00Z`,
    ended_at: `2026-03-0${number + 1}T00:00:00Z`,
    origin: "policy",
    shares: { "": [0.2, 0.8] },
    chances: { "": [0.1, 0.9] },
    wanted: { "": [0.15, 0.85] },
    reasons: { "": "followed" },
    reason: "",
    set_by: "",
    units: [20, 80],
    sentences: {},
    sentence: `With epoch ${number - 1} included, B is best with a chance of 90%.`,
    ...changes,
  };
}

const ALLOCATION: Allocation = {
  mode: "follow",
  metric: "paid bookings",
  window_hours: 0,
  letters: ["A", "B"],
  next_close: "2026-03-04T00:00:00Z",
  epochs: [
    epoch(1, { origin: "start", shares: { "": [0.5, 0.5] }, chances: {}, sentence: "Even at the start." }),
    epoch(2),
    epoch(3, { ended_at: null, shares: { "": [0.105, 0.895] } }),
  ],
  left_out: 0,
  sentence: "Epoch 3. Shares follow the evidence.",
};
const RUNNING = experiment({
  state: "running",
  data_from: "events",
  allocation: USUAL,
  rule_locked_at: "2026-03-01T00:00:00Z",
});

describe("choosing how shares are set", () => {
  const events = experiment({
    data_from: "events",
    variants: [variant("A", "Old", { weight: 2 }), variant("B", "New")],
  });

  it("takes the policy, the reading that holds at any time and even weights in one step", async () => {
    const calls = serve({ [`PATCH ${PATH}`]: [{ body: { ...events, allocation: USUAL, version: 2 } }] });
    open(<Sharing />, events);
    fireEvent.click(screen.getByRole("radio", { name: /Following the evidence/ }));
    await waitFor(() => expect(calls).toHaveLength(1));
    const { changes } = calls[0]?.body as { changes: Record<string, unknown> };
    expect(changes.allocation).toEqual(USUAL);
    expect(changes.method).toBe("always_valid");
    expect((changes.variants as { weight: number }[]).map((line) => line.weight)).toEqual([1, 1]);
  });

  it("asks for no more of a floor than ten variants can have", async () => {
    const many = experiment({ data_from: "events", variants: [..."ABCDEFGHIJ"].map((l) => variant(l, `V ${l}`)) });
    const calls = serve({ [`PATCH ${PATH}`]: [{ body: many }] });
    open(<Sharing />, many);
    fireEvent.click(screen.getByRole("radio", { name: /Following/ }));
    await waitFor(() => expect(calls).toHaveLength(1));
    const { changes } = calls[0]?.body as { changes: { allocation: { floor: number } } };
    expect(changes.allocation.floor).toBeCloseTo(0.04);
  });

  it("offers nothing to follow where counts come in files", () => {
    open(<Sharing />, experiment({ data_from: "files" }));
    expect(screen.queryByRole("radio")).toBeNull();
    expect(screen.getByRole("heading", { name: "Split" })).toBeTruthy();
  });

  it("keeps the rest of the policy when one figure changes, and shows what is wrong beside its field", async () => {
    const what = experiment({
      data_from: "events",
      method: "always_valid",
      allocation: { ...USUAL, epoch_hours: 5 },
      metrics: [metricUse(), metricUse({ key: "fare", name: "fare per visitor", role: "secondary" })],
    });
    const calls = serve({
      [`PATCH ${PATH}`]: [
        {
          status: 422,
          body: {
            title: "Unprocessable",
            status: 422,
            detail: "allocation.floor (0.6) must be under 50%, for 2 variants",
            errors: [
              { field: "allocation.floor", message: "allocation.floor (0.6) must be under 50%, for 2 variants" },
            ],
          },
        },
      ],
    });
    open(<Sharing />, what, [[keys.allocationRehearsal(what.key), { rehearsal: null }]]);
    expect(screen.getByRole("option", { name: "5 hours" })).toBeTruthy();
    expect(screen.getByRole("option", { name: "fare per visitor" })).toBeTruthy();
    const field = screen.getByLabelText("Minimum share of each variant");
    fireEvent.change(field, { target: { value: "60" } });
    fireEvent.blur(field);
    await waitFor(() => expect(screen.getAllByText(/must be under 50%/).length).toBeGreaterThan(0));
    const sent = calls.find((call) => call.method === "PATCH")?.body as { changes: { allocation: object } };
    expect(sent.changes.allocation).toEqual({ ...USUAL, epoch_hours: 5, floor: 0.6 });
  });
});

describe("shares over time", () => {
  const known: [readonly unknown[], unknown][] = [[keys.allocation("fare-calendar"), ALLOCATION]];

  it("shows the shares of now and of the epoch that is pointed at", () => {
    const points = ALLOCATION.epochs.map((line) => ({
      number: line.number,
      from: line.started_at,
      until: line.ended_at,
      shares: sharesIn(line, "", 2),
      text: line.sentence,
      byHand: false,
    }));
    const { container } = show(
      <SharesPicture
        points={points}
        letters={["A", "B"]}
        now="2026-03-03T12:00:00Z"
        label="Shares"
        format={(iso) => iso}
      />,
    );
    expect(container.textContent).toContain("Now: A 11%, B 90%");
    const [, second] = [...container.querySelectorAll("svg rect")];
    fireEvent.mouseEnter(second!);
    expect(container.textContent).toContain("Epoch 2: A 20%, B 80%. With epoch 1 included");
    fireEvent.mouseLeave(container.querySelector("svg")!);
    expect(container.textContent).toContain("Now:");
  });

  it("bands fill the picture from one edge to the other", () => {
    const { container } = show(
      <SharesPicture
        points={[{ number: 1, from: "2026-03-01", until: "2026-03-02", shares: [0.25, 0.75], text: "", byHand: true }]}
        letters={["A", "B"]}
        now="2026-03-03"
        label="Shares"
        format={(iso) => iso}
      />,
    );
    const heights = [...container.querySelectorAll("polygon")].map((polygon) => {
      const ys = (polygon.getAttribute("points") ?? "").split(" ").map((pair) => Number(pair.split(",")[1]));
      return Math.max(...ys) - Math.min(...ys);
    });
    expect((heights[1] ?? 0) / (heights[0] ?? 1)).toBeCloseTo(3);
  });

  it("freezes with a reason, and says beside the field that one is missing", async () => {
    const frozen = { ...ALLOCATION, mode: "frozen", sentence: "Epoch 3. Shares are frozen." };
    const calls = serve({
      [`POST ${PATH}/allocation/freeze`]: [
        {
          status: 422,
          body: {
            title: "Unprocessable",
            status: 422,
            detail: "reason (empty) must say why",
            errors: [{ field: "reason", message: "reason (empty) must say why" }],
          },
        },
        { body: frozen },
      ],
      [`GET ${PATH}`]: [{ body: RUNNING }],
      [`GET ${PATH}/ledger`]: [{ body: { items: [], count: 0 } }],
    });
    open(<SharesPanel />, RUNNING, known);
    fireEvent.click(screen.getByRole("button", { name: "Freeze" }));
    const dialog = screen.getByRole("dialog");
    fireEvent.click(within(dialog).getByRole("button", { name: "Freeze" }));
    expect(await within(dialog).findByText(/must say why/)).toBeTruthy();
    fireEvent.change(within(dialog).getByLabelText(/Why/), { target: { value: "The fair begins" } });
    fireEvent.click(within(dialog).getByRole("button", { name: "Freeze" }));
    expect(await screen.findByText(/Shares are frozen/)).toBeTruthy();
    expect(calls.filter((call) => call.method === "POST").map((call) => call.body)).toEqual([
      { reason: "" },
      { reason: "The fair begins" },
    ]);
    expect(screen.queryByRole("dialog")).toBeNull();
    expect(screen.getByRole("button", { name: "Follow the evidence again" })).toBeTruthy();
    expect(screen.queryByRole("button", { name: "Freeze" })).toBeNull();
  });

  it("sends shares by hand as parts of one and tells what they add up to", async () => {
    const calls = serve({
      [`POST ${PATH}/allocation/by-hand`]: [{ body: ALLOCATION }],
      [`GET ${PATH}`]: [{ body: RUNNING }],
      [`GET ${PATH}/ledger`]: [{ body: { items: [], count: 0 } }],
    });
    open(<SharesPanel />, RUNNING, known);
    fireEvent.click(screen.getByRole("button", { name: "Set by hand" }));
    const field = screen.getByLabelText("Share of A");
    fireEvent.change(field, { target: { value: "40" } });
    expect(screen.getByText("They add up to 129%.")).toBeTruthy();
    fireEvent.change(screen.getByLabelText("Share of B"), { target: { value: "60" } });
    fireEvent.change(screen.getByLabelText(/Why/), { target: { value: "A look" } });
    fireEvent.click(screen.getByRole("button", { name: "Save shares" }));
    await waitFor(() => expect(calls.length).toBeGreaterThan(0));
    expect(calls[0]?.body).toEqual({ shares: [0.4, 0.6], reason: "A look" });
  });

  it("lists the epochs with their reasons and opens the record of one", async () => {
    serve({
      [`GET ${PATH}/epochs/2`]: [
        { body: { number: 2, record: { salt: "fare-calendar:1" }, worked_out_again: { "": [0.2, 0.8] }, same: true } },
      ],
    });
    open(<SharesPanel />, RUNNING, known);
    const rows = screen.getAllByRole("row", { hidden: true });
    expect(rows[2]?.textContent).toContain("With epoch 1 included, B is best");
    expect(within(rows[3]!).queryByRole("button", { hidden: true })).toBeNull(); // the first rests on nothing
    fireEvent.click(within(rows[2]!).getByRole("button", { name: "2", hidden: true }));
    expect(await screen.findByText(/the same shares/)).toBeTruthy();
    expect(screen.getByLabelText("Record of epoch 2").textContent).toContain("fare-calendar:1");
  });

  it("shows each segment by itself, and reads only for those who may not steer", () => {
    const apart: Allocation = {
      ...ALLOCATION,
      window_hours: 72,
      epochs: [
        epoch(1, { origin: "start", shares: { "": [0.5, 0.5] }, chances: {} }),
        epoch(2, {
          shares: { "device=phone": [0.1, 0.9], "device=computer": [0.7, 0.3] },
          chances: { "device=phone": [0.02, 0.98], "device=computer": [0.8, 0.2] },
          sentences: { "device=phone": "Here B is best with a chance of 98%." },
        }),
      ],
    };
    expect(segmentsOf(apart)).toEqual(["device=computer", "device=phone"]);
    const stakeholder = { ...SESSION, account: { ...SESSION.account, may_edit: false } };
    open(<SharesPanel />, RUNNING, [
      [keys.allocation("fare-calendar"), apart],
      [keys.session, stakeholder],
    ]);
    expect(screen.getByRole("img", { name: /device=computer: now A 70%, B 30%/ })).toBeTruthy();
    fireEvent.change(screen.getByLabelText("Segment"), { target: { value: "device=phone" } });
    expect(screen.getByRole("img", { name: /device=phone: now A 10%, B 90%/ })).toBeTruthy();
    expect(screen.getAllByText(/Here B is best with a chance of 98%/).length).toBeGreaterThan(0);
    expect(screen.getByText(/once their 72 hours/)).toBeTruthy();
    expect(screen.queryByRole("button", { name: "Freeze" })).toBeNull();
  });

  it.each([
    [
      [0.105, 0.895],
      [11, 89],
    ],
    [
      [1 / 3, 1 / 3, 1 / 3],
      [34, 33, 33],
    ],
    [
      [0.5, 0.5],
      [50, 50],
    ],
  ])("rounds %j to whole percentages that add up", (shares, whole) => {
    const match = wholePercents(shares);
    expect(match.reduce((a, b) => a + b, 0)).toBe(100);
    expect([...match].sort()).toEqual([...whole].sort());
  });
});

describe("what stands beside a reading by epoch", () => {
  const followed: Adaptive = {
    chances: [0.001, 0.999],
    remaining: 0.012,
    leader: "B",
    spared: interval(380, 400, 400),
    gained: interval(5, 20, 35),
    pooled: [{ letter: "B", level: 0.15, lift: interval(0.2, 0.3, 0.4) }],
    remarks: ["B with all epochs put together would show +30%; within the epochs it is +9.0%."],
    sentence: "So far 400 more visitors saw the best variant than in an even split.",
  };

  it("shows both lifts, the chances without certainty, and the remark where they differ", () => {
    show(
      <AdaptivePanel experiment="island-photo" summary={followed} reading={reading({ comparisons: [comparison()] })} />,
    );
    expect(screen.getByText("+30.0%")).toBeTruthy();
    expect(screen.getByText("> 99%")).toBeTruthy();
    expect(screen.getByText("< 1%")).toBeTruthy();
    expect(screen.getByText(/put together would show/)).toBeTruthy();
    expect(screen.getByRole("img", { name: "Possible gain remaining is under the worthwhile lift" })).toBeTruthy();
  });

  it("says that nothing limits what may still be gained", () => {
    show(<AdaptivePanel experiment="island-photo" summary={{ ...followed, remaining: null }} reading={reading()} />);
    expect(screen.getByText("not limited yet")).toBeTruthy();
    expect(
      screen.getByRole("img", { name: "Possible gain remaining is not yet under the worthwhile lift" }),
    ).toBeTruthy();
  });
});

describe("the rehearsal of both ways", () => {
  const part = (share: number) => ({ share, error: 0.02, text: `${Math.round(100 * share)}% ± 4` });
  const estimate = (middle: number | null) => ({ estimate: middle, low: middle, high: middle });
  const way = (total: number, days: number | null) => ({
    total,
    right: part(0.8),
    false: part(0.01),
    open: part(0.19),
    picked: part(1),
    median_days: days,
    pooled_bias: estimate(0.1),
    stratified_bias: estimate(null),
    shares: [[0.5, 0.5]],
  });
  const result = {
    days: 28,
    epoch_days: 1,
    is_rate: true,
    even: way(1000, 13.5),
    adaptive: way(1100, null),
    gained: estimate(100),
    sentence: "Following the evidence brings about 100 more paid bookings in 28 days (+10.0%).",
  };
  const done: AllocationRehearsal = {
    id: 1,
    state: "done",
    progress: 1,
    seed: 1,
    runs: 200,
    lifts: [0.1],
    drift: 0,
    at: "2026-03-01T00:00:00Z",
    by: "Mona Orrell",
    problem: "",
    stale: true,
    result,
  };

  it("puts both side by side", () => {
    const lines = rehearsedLines(result, "paid bookings");
    expect(lines[0]).toEqual(["paid bookings in 28 days", "1,000", "1,100"]);
    expect(lines[1]).toEqual(["calls the best variant", "80% ± 4", "80% ± 4"]);
    expect(lines[4]?.slice(1)).toEqual(["14", "over the plan"]);
    expect(lines[7]?.slice(1)).toEqual(["–", "–"]);
  });

  it("is not undone by an answer that was asked for before it began", async () => {
    const plan = { units_per_day: 1000, per_arm: [5000, 5000], weeks: 4, what_if: [] } as unknown as NonNullable<
      Experiment["plan"]
    >;
    const what = experiment({ data_from: "events", method: "always_valid", allocation: USUAL, plan });
    let late = () => undefined as void;
    const held = new Promise<void>((let_go) => (late = let_go));
    const begun = { ...done, state: "running", progress: 0.4 };
    serve({
      [`GET ${PATH}/allocation/rehearsal`]: [
        { body: { rehearsal: null }, after: held },
        ...Array.from({ length: 20 }, () => ({ body: { rehearsal: begun } })),
      ],
      [`POST ${PATH}/allocation/rehearsal`]: [{ status: 202, body: begun }],
    });
    open(<Sharing />, what);
    fireEvent.click(screen.getByRole("button", { name: "Rehearse" }));
    expect(await screen.findByText("40%")).toBeTruthy();
    late();
    await held;
    // The turns that an answer takes from the wire to the screen.
    for (let turn = 0; turn < 20; turn++) await new Promise((go_on) => setTimeout(go_on));
    expect(screen.getByText("40%")).toBeTruthy();
  });

  it("asks with the lifts that were typed, refuses what is no number, and tells what is out of date", async () => {
    const plan = { units_per_day: 1000, per_arm: [5000, 5000], weeks: 4, what_if: [] } as unknown as NonNullable<
      Experiment["plan"]
    >;
    const what = experiment({ data_from: "events", method: "always_valid", allocation: USUAL, plan });
    const calls = serve({
      [`GET ${PATH}/allocation/rehearsal`]: [{ body: { rehearsal: done } }, { body: { rehearsal: done } }],
      [`POST ${PATH}/allocation/rehearsal`]: [{ status: 202, body: { ...done, state: "running", progress: 0.4 } }],
    });
    open(<Sharing />, what, [[keys.allocationRehearsal(what.key), { rehearsal: done }]]);
    expect(screen.getByText(/has changed since/)).toBeTruthy();
    expect(screen.getByText(result.sentence)).toBeTruthy();
    const lift = screen.getByLabelText(/True lift of/);
    fireEvent.change(lift, { target: { value: "much" } });
    fireEvent.click(screen.getByRole("button", { name: "Rehearse" }));
    expect(screen.getByText(/must be a number such as 5/)).toBeTruthy();
    fireEvent.change(lift, { target: { value: "7.5" } });
    fireEvent.change(screen.getByLabelText(/drift/), { target: { value: "50" } });
    fireEvent.click(screen.getByRole("button", { name: "Rehearse" }));
    expect(await screen.findByText("40%")).toBeTruthy();
    expect(calls.find((call) => call.method === "POST")?.body).toEqual({
      lifts: [0.075],
      drift: 0.5,
      runs: 200,
      seed: 1,
    });
  });
});
