import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { afterEach, describe, expect, it } from "vitest";
import { keys } from "../../api/keys";
import type { RegionArm, RegionReading, RegionResponse } from "../../api/regions";
import { ChancePicture } from "../../charts/ChancePicture";
import { PairsPicture } from "../../charts/PairsPicture";
import { ReturnPicture } from "../../charts/ReturnPicture";
import { experiment, serve, SESSION, show } from "../../test/kit";
import { EditingProvider } from "../editing";
import { RegionStanding } from "./RegionStanding";
import { ResponsePanel } from "./ResponsePanel";
import { RegionVerdict } from "./RegionVerdict";
import { RegionWatch } from "./RegionWatch";
import { between, capital, figure, named, whole } from "./words";

afterEach(cleanup);
const SPEND: RegionReading["spend"] = [{ group: "withheld", planned: [0], spent: [40], difference: null }];
const EFFECT = { estimate: -0.052, low: -0.076, high: -0.028 };

function arm(changes: Partial<RegionArm> = {}): RegionArm {
  return {
    arm: "withheld",
    level: 0,
    step: "",
    confidence: 0.95,
    pairs: 28,
    left_out: 0,
    lost: 0,
    primary: {
      outcome: "fares",
      group: "",
      less_is_better: false,
      lift: EFFECT,
      total: { estimate: -107_000, low: -158_000, high: -57_000 },
      spend: 41_600,
      incremental: { estimate: 2.57, low: 1.37, high: 3.79 },
      trimmed: 2.49,
      pvalue: 0.002,
      confidence: 0.95,
    },
    others: [],
    by_group: [],
    unread: [],
    synthetic: -0.049,
    pair_by_pair: [],
    chance: null,
    course: null,
    watch: {
      share: 0.02,
      leak: 0.02,
      leaks: [],
      missing: [],
      moved: null,
      moved_too_far: false,
      shocks: [{ region: "Fennvale", day: "2026-09-12", size: 0.85 }],
    },
    month: {
      spend: 50_000,
      brings: { estimate: 128_500, low: 68_500, high: 189_500 },
      worth: { estimate: 68_500, low: 8_500, high: null },
    },
    ...changes,
  };
}

function reading(changes: Partial<RegionReading> = {}): RegionReading {
  return {
    verdict: "spending_pays",
    headline: "Posters: each EUR brings 2.57 (95% CI 1.37 to 3.79) in fares. It pays from 1.20.",
    figure: "2.57 (95% CI 1.37 to 3.79)",
    short: "Pays: 2.57",
    detail: "Where it was withheld, fares changed by −5.2%.",
    suggested: "A",
    conditions: [
      { key: "pairs", subject: "minimum", label: "Pairs with data", state: "met", seen: "28", required: "6 or more" },
    ],
    would_change: [],
    warnings: [],
    rule_in_words: "In one of each of 28 pairs nothing is spent.",
    phase: "complete",
    ended_early: false,
    decided: false,
    days: 35,
    test_days: 28,
    cool_down_days: 7,
    start: "2026-08-31",
    last: "2026-10-04",
    read_on: "2026-10-04",
    confidence: 0.95,
    break_even: 1.2,
    same_within: 0,
    leak_limit: 0.1,
    outcome: "fares",
    tested: "Posters",
    currency: "EUR",
    pairs: 28,
    left_out: 0,
    arms: [arm()],
    spend: [],
    response: null,
    ...changes,
  };
}

function open(sheet: "watch" | "verdict", shown: RegionReading, state: "running" | "ended" | "decided" = "ended") {
  const made = experiment({
    by_region: true,
    state,
    started_on: "2026-08-31",
    decision: state === "decided" ? "B" : "",
  });
  return show(
    <Routes>
      <Route
        path="/experiments/:key/:sheet"
        element={
          <EditingProvider experiment={made}>
            {sheet === "watch" ? <RegionWatch /> : <RegionVerdict />}
            <RegionStanding />
          </EditingProvider>
        }
      />
    </Routes>,
    {
      address: `/experiments/fare-calendar/${sheet}`,
      known: [
        [keys.session, SESSION],
        [keys.experiment("fare-calendar"), made],
        [keys.regionReading("fare-calendar"), shown],
        [keys.notes("fare-calendar"), []],
        [keys.handover("fare-calendar"), { rollout: null, places: [], lesson: { learnt: "Radio is heard", why: "" } }],
      ],
    },
  );
}

describe("words of returns", () => {
  it.each([
    [2.567, "2.57"],
    [0.0301, "0.0301"],
    [-41.32, "−41.3"],
    [1234, "1,234"],
    [0, "0.00"],
    [null, "without limit"],
  ])("writes %s as the core does", (value, text) => expect(figure(value)).toBe(text));

  it("says which side of an interval has no limit", () => {
    expect(between({ low: 1.5, high: null }, figure)).toBe("1.50 to without limit");
    expect([whole(-107_000.4), whole(0.2), whole(null)]).toEqual(["−107,000", "0", "without limit"]);
    expect(capital(named("new_passengers"))).toBe("New passengers");
  });
});

describe("watching a test by region", () => {
  it("says that nothing is amiss, and warns of a leak beyond the limit", () => {
    serve({});
    open("watch", reading());
    expect(screen.getByText(/^No withheld region has more than a trace/)).toBeTruthy();
    expect(screen.getByRole("rowheader", { name: "Fennvale" })).toBeTruthy();
    expect(screen.getByRole("cell", { name: "+85.0%" })).toBeTruthy();
    cleanup();
    const leaks = [{ region: "Elmham", spent: 40, share: 0.3 }];
    open("watch", reading({ spend: SPEND, arms: [arm({ watch: { ...arm().watch!, leak: 0.3, leaks } })] }));
    expect(screen.getByText("30%", { selector: ".text-error" })).toBeTruthy();
    expect(screen.getByRole("rowheader", { name: "Elmham" })).toBeTruthy();
    expect(screen.queryByText(/^No withheld region has more than a trace/)).toBeNull();
  });

  it("takes no more days once it is decided", () => {
    serve({});
    open("watch", reading(), "decided");
    expect(screen.queryByLabelText("File of days of the test")).toBeNull();
    cleanup();
    open("watch", reading());
    expect(screen.getByLabelText("File of days of the test")).toBeTruthy();
  });
});

describe("the verdict on the money", () => {
  const POST = "POST /experiments/fare-calendar/regions/decision";

  it("has the rule's choice filled in and asks why where another is made", async () => {
    const calls = serve({ [POST]: [{ body: experiment({ by_region: true, state: "decided" }) }] });
    open("verdict", reading());
    expect(screen.getByRole("heading", { name: "The rule says: spending pays" })).toBeTruthy();
    expect(screen.getByLabelText<HTMLInputElement>(/^Go on spending/).checked).toBe(true);
    expect(screen.queryByLabelText(/^Why does it differ/)).toBeNull();
    fireEvent.click(screen.getByLabelText(/^Stop spending/));
    fireEvent.change(screen.getByLabelText(/^Why does it differ/), { target: { value: "No money" } });
    fireEvent.click(screen.getByRole("button", { name: "Record the decision" }));
    await waitFor(() => expect(calls.filter((call) => call.method === "POST")).toHaveLength(1));
    expect(calls.find((call) => call.method === "POST")?.body).toEqual({
      choice: "B",
      reason: "No money",
      next_step: "",
    });
  });

  it("shows no picture and no month where nothing may be read", () => {
    serve({});
    open("verdict", reading({ verdict: "regions_unsound", suggested: "none", arms: [arm({ month: null })] }));
    expect(screen.queryByRole("img", { name: /^Return/ })).toBeNull();
    expect(screen.queryByRole("heading", { name: "A month of it everywhere" })).toBeNull();
  });

  it("says what was decided, and takes no other decision", () => {
    serve({});
    open("verdict", reading({ decided: true }), "decided");
    expect(screen.getByText("Stop spending")).toBeTruthy();
    expect(screen.getByDisplayValue("Radio is heard")).toBeTruthy();
    expect(screen.queryByRole("button", { name: "Record the decision" })).toBeNull();
  });
});

describe("a graded test", () => {
  const LOWER = arm({ arm: "lower", level: 0.5, step: "from 50% up to the usual", confidence: 0.975, pairs: 14 });
  const HIGHER = arm({
    arm: "higher",
    level: 1.5,
    step: "from the usual up to 150%",
    confidence: 0.975,
    pairs: 14,
    primary: { ...arm().primary!, incremental: { estimate: 0.8, low: 0.2, high: 1.4 } },
    watch: { ...arm().watch!, share: 1.4, leak: 0.2 },
  });
  const graded = (changes: Partial<RegionReading> = {}) =>
    reading({ verdict: "planned_pays", arms: [LOWER, HIGHER], spend: SPEND, ...changes });
  const RESPONSE: RegionResponse = {
    levels: [
      { share: 0.5, lift: { estimate: -0.08, low: -0.1, high: -0.06 } },
      { share: 1.5, lift: { estimate: 0.04, low: 0.02, high: 0.07 } },
    ],
    isotonic: [-0.08, 0, 0.04],
    rising: true,
    flattening: true,
    at_most: -0.12,
    curves: [
      { name: "power of the spend", nothing: null, shares: [0, 1, 1.5], lifts: [-1, 0, 0.04] },
      {
        name: "approach to a ceiling",
        nothing: { estimate: -0.24, low: -0.66, high: -0.12 },
        shares: [0, 1, 1.5],
        lifts: [-0.24, 0, 0.04],
      },
    ],
  };
  const panel = (changes: Partial<RegionResponse> = {}) =>
    show(<ResponsePanel shown={graded()} response={{ ...RESPONSE, ...changes }} />);

  it("can be decided for less, more or as planned, with a picture of both steps and a month of each", () => {
    serve({});
    open("verdict", graded());
    expect(screen.getAllByRole("radio").map((radio) => radio.closest("label")?.textContent)).toEqual([
      expect.stringContaining("Spend as planned"),
      expect.stringContaining("Spend less"),
      expect.stringContaining("Spend more"),
      expect.stringContaining("None of these, for now"),
    ]);
    expect(
      screen.getByRole("img", {
        name: "From 50% up to the usual: return 2.57 (1.37 to 3.79); From the usual up to 150%: return 0.800 (0.200 to 1.40); it pays from 1.20",
      }),
    ).toBeTruthy();
    expect(screen.getAllByRole("heading", { name: /^A month of what is spent/ })).toHaveLength(2);
  });

  it("says of each level how far it was kept to", () => {
    serve({});
    open("watch", graded());
    expect(screen.getByText("20%", { selector: ".text-error" }).parentElement?.textContent).toContain(
      "Where 150% is planned, 140% of the usual was spent",
    );
  });

  it("says what no spending at all would do with how far that hangs on the curve", () => {
    panel();
    expect(screen.getByText(/would lose at least 12%/)).toBeTruthy();
    expect(screen.getByRole("cell", { name: "no such curve fits" })).toBeTruthy();
    expect(screen.getByRole("cell", { name: "−66.0% to −12.0%" })).toBeTruthy();
  });

  it.each([
    [{ rising: false }, /contradicts that more brings no less/],
    [{ flattening: false }, /contradicts that each further unit brings no more/],
  ])("says nothing beyond its levels where they contradict the curve: %o", (contradiction, words) => {
    panel({ ...contradiction, at_most: null, curves: [], isotonic: [-0.02, 0, 0] });
    expect(screen.getByText(words)).toBeTruthy();
    expect(screen.getByText(/they would lie at −2.0%, 0%, 0%/)).toBeTruthy();
    expect(screen.queryByText(/Without any spending/)).toBeNull();
  });
});

describe("pictures of a test by region", () => {
  it("are said in words", () => {
    const pair = (lift: number) => ({
      treated: `w${lift}`,
      control: `c${lift}`,
      lift,
      low: lift - 0.1,
      high: lift + 0.1,
    });
    serve({});
    show(
      <>
        <PairsPicture pairs={[pair(-0.2), pair(-0.05), pair(0.1)]} />
        <ChancePicture chance={{ edges: [-0.03, 0, 0.03], counts: [3, 4], draws: 6, exact: true }} lift={-0.052} />
        <ReturnPicture
          lines={[{ name: "", incremental: { estimate: 2.57, low: 1.37, high: null } }]}
          breakEven={1.2}
          within={0.1}
          colour="red"
        />
      </>,
    );
    const said = screen.getAllByRole("img").map((picture) => picture.getAttribute("aria-label"));
    expect(said).toEqual([
      "In 2 of 3 pairs the region with the change had less than its partner",
      "Effects of other draws of the same pairs, from −5.2% to +3.0%; the one found is −5.2%",
      "Return 2.57 (1.37 to without limit); it pays from 1.20",
    ]);
  });
});
