import { cleanup, fireEvent, screen, waitFor, within } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { afterEach, describe, expect, it } from "vitest";
import type { Report } from "../api/client";
import { keys } from "../api/keys";
import { ScratchpadPage } from "../scratchpad/ScratchpadPage";
import { comparison, interval, reading, serve, SESSION, show } from "../test/kit";
import { ReportPage } from "./ReportPage";

afterEach(cleanup);

function report(changes: Partial<Report> = {}): Report {
  return {
    key: "fare-calendar",
    name: "Fare calendar",
    area: "Booking",
    workspace: "Tidewick Ferries",
    state: "decided",
    hypothesis: "Calendar first raises paid bookings by at least 3%.",
    because: "",
    pictures: [[], []],
    earlier_pictures: [[], []],
    rule_changes: [],
    delivery_changes: [],
    verdict_name: "Winner",
    date_line: "Verdict of 30 March 2026",
    data_until: "",
    rule_line: "by the rule set on 1 March 2026, unchanged",
    facts: [{ label: "With B, a month", value: "about 730 more", note: "paid bookings, between 270 and 1,200" }],
    lines: [
      { letter: "A", name: "List first", changes: "as it was", level: "5.08%", counts: "2,104 of 41,433", lift: "" },
      {
        letter: "B",
        name: "Calendar first",
        changes: "calendar above the list",
        level: "5.51%",
        counts: "2,284 of 41,480",
        lift: "+8.4%",
      },
    ],
    secondary: [],
    caveats: ["A winner’s true lift is on average a little smaller."],
    how_decided: "The rule was written down before the first visitor came.",
    shared_out: "",
    why: "",
    learnt: "",
    next_step: "On phones from Monday",
    rollout_brings: "",
    started_on: "2026-03-02",
    rule_locked_at: "2026-03-01T06:00:00Z",
    decided_at: "2026-03-30T08:00:00Z",
    decided_by: "Mona Orrell",
    decision: "B",
    decision_sentence: "Decided: roll out Calendar first.",
    decision_reason: "",
    against_rule: false,
    by_region: false,
    reading: reading({ comparisons: [comparison({ effect_per_month: interval(274.4, 731.2, 1212) })] }),
    ...changes,
  };
}

function openReport(changes: Partial<Report> = {}) {
  return show(
    <Routes>
      <Route path="/reports/:key" element={<ReportPage />} />
    </Routes>,
    { address: "/reports/fare-calendar", known: [[keys.report("fare-calendar"), report(changes)]] },
  );
}

describe("the report", () => {
  it("says one sentence, shows one picture and what follows", () => {
    openReport();
    expect(screen.getByText(/“Calendar first” brings more paid bookings/)).toBeTruthy();
    expect(screen.getByRole("img", { name: /B against A: lift \+8.4%/ })).toBeTruthy();
    expect(screen.getByText("calendar above the list")).toBeTruthy();
    expect(screen.getByText("On phones from Monday")).toBeTruthy();
    expect(screen.queryByText(/This differs from the rule/)).toBeNull();
  });

  it("gives the gain a month to two figures, with its interval", () => {
    openReport();
    expect(screen.getByText("about 730 more")).toBeTruthy();
    expect(screen.getByText("paid bookings, between 270 and 1,200")).toBeTruthy();
  });

  it("shows a change of the rule, secondary metrics, why and what was learnt", () => {
    const change = { at: "2026-03-20T10:00Z", by: "Mona", reason: "Legal asks", before: "We read once.", after: "" };
    openReport({
      rule_changes: [change],
      rule_line: "by the rule set on 1 March 2026, changed since",
      secondary: ["Guardrail: help opened, B against A: lift +3.0% – harmed."],
      why: "Cheap days first.",
      learnt: "Calendars help.",
    });
    expect(screen.getByText(/changed since/)).toBeTruthy();
    expect(screen.getByText("The rule before: We read once.")).toBeTruthy();
    expect(screen.getByText(/– harmed/)).toBeTruthy();
    expect(screen.getByText("Cheap days first.")).toBeTruthy();
    expect(screen.getByText("Calendars help.")).toBeTruthy();
  });

  it("shows what was tried side by side where there are pictures", () => {
    const picture = { id: 1, url: "/api/v1/pictures/1", width: 4, height: 3, caption: "Calendar", until: null };
    const earlier = { ...picture, id: 2, caption: "Calendar, smaller", until: "2026-03-12" };
    openReport({ pictures: [[], [picture]], earlier_pictures: [[], [earlier]] });
    expect(screen.getByAltText("Calendar").getAttribute("src")).toBe("/api/v1/pictures/1");
    expect(screen.getByText("Shown earlier of B (1)")).toBeTruthy();
    expect(screen.getByAltText("Calendar, smaller")).toBeTruthy();
    expect(screen.getByText(/^until 12 March/)).toBeTruthy();
    expect(screen.queryByText("Delete")).toBeNull();
    expect(screen.getByText("no picture")).toBeTruthy();
  });

  it("shows no picture of an unsound test", () => {
    openReport({
      decision: "none",
      reading: reading({ verdict: "unsound", variant: null, headline: "No lift may be read.", figure: "" }),
    });
    expect(screen.queryByRole("img")).toBeNull();
  });

  it("shows a decision against the rule with its reason", () => {
    openReport({ against_rule: true, decision_reason: "The release is cancelled" });
    expect(screen.getByText(/This differs from the rule, which says “winner”: The release is cancelled/)).toBeTruthy();
  });
});

describe("the scratchpad", () => {
  it("asks nothing before all counts are there, then shows the verdict", async () => {
    const calls = serve({ "POST /scratchpad/verdict": [{ body: { reading: reading(), money: [] } }] });
    show(<ScratchpadPage />, {
      address: "/scratchpad?arm=Old~41433~2104&arm=New~41480~",
      known: [[keys.session, SESSION]],
    });
    const answer = screen.getByLabelText("Verdict");
    expect(within(answer).getByText(/Type the counts of each variant/)).toBeTruthy();
    expect(calls).toHaveLength(0);
    fireEvent.change(screen.getByLabelText("Conversions of B"), { target: { value: "2284" } });
    await within(screen.getByLabelText("Verdict")).findByText(/“Calendar first” brings more/);
    expect(calls[0]?.body).toMatchObject({ confidence: 0.95, worthwhile_lift: 0.05, least_conversions: 50 });
  });

  it("takes cost beside the counts, and says what a clear answer needs", async () => {
    const figure = (estimate: number) => interval(estimate * 0.9, estimate, estimate * 1.1);
    const line = (letter: string, cost: number) => ({
      spend: {
        letter,
        cost,
        impressions: 0,
        cost_each: figure(cost / 50),
        per_thousand: interval(null, null, null),
        cost_lift: letter === "B" ? figure(0.1) : null,
        impressions_lift: null,
      },
      amount: null,
      amount_each: null,
      return_on_spend: null,
    });
    const judged = {
      reading: reading({ would_change: ["It needs about 5 times the data: 8 weeks more at the pace so far."] }),
      money: [line("A", 500), line("B", 550)],
    };
    const calls = serve({ "POST /scratchpad/verdict": [{ body: judged }, { body: judged }, { body: judged }] });
    show(<ScratchpadPage />, {
      address: "/scratchpad?arm=Old~1000~50&arm=New~1000~50&days=14",
      known: [[keys.session, SESSION]],
    });
    fireEvent.click(screen.getByText("Cost and amounts"));
    fireEvent.change(screen.getByLabelText("Cost of A"), { target: { value: "500" } });
    fireEvent.change(screen.getByLabelText("Cost of B"), { target: { value: "550" } });
    expect(await screen.findByText("Cost of a conversion")).toBeTruthy();
    expect(screen.getByText(/8 weeks more at the pace so far/)).toBeTruthy();
    await waitFor(() =>
      expect(calls.at(-1)?.body).toMatchObject({ days: 14, arms: [{ cost: "500" }, { cost: "550" }] }),
    );
  });

  it("puts the refusal beside the variant it belongs to", async () => {
    const refused = { title: "No", errors: [{ field: "arms.1.conversions", message: "conversions (5%) is a rate" }] };
    serve({ "POST /scratchpad/verdict": [{ status: 422, body: refused }] });
    show(<ScratchpadPage />, { address: "/scratchpad?arm=Old~41~5&arm=New~40~5%25", known: [[keys.session, SESSION]] });
    await waitFor(() => expect(screen.getByRole("alert").textContent).toBe("conversions (5%) is a rate"));
    expect(screen.getByText("These counts cannot be judged.")).toBeTruthy();
  });

  it("does not ask with a number that is none", () => {
    const calls = serve({});
    show(<ScratchpadPage />, { address: "/scratchpad?ask=size&rate=much", known: [[keys.session, SESSION]] });
    expect(screen.getByRole("alert").textContent).toBe("Rate today (much) must be a number");
    expect(screen.getByText("Fill in each number.")).toBeTruthy();
    expect(calls).toHaveLength(0);
  });
});
