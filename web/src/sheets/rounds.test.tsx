import { cleanup, fireEvent, screen, waitFor, within } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import type { Experiment, Rounds } from "../api/client";
import { keys } from "../api/keys";
import { SESSION, experiment, interval, serve, show } from "../test/kit";
import { EditingProvider, useEditing } from "./editing";
import { RoundsPanel } from "./evidence/RoundsPanel";
import { RulePanel } from "./sizing/RulePanel";
import { StateActions } from "./StateActions";
import { Dates } from "./traffic/Dates";

afterEach(cleanup);
const PATH = "/experiments/fare-calendar";
const FIRST = {
  key: "fare-calendar~1",
  number: 1,
  started_on: "2026-01-05",
  ended_on: "2026-02-01",
  units: 21_000,
};

function open(part: React.ReactNode, known: Experiment) {
  return show(<EditingProvider experiment={known}>{part}</EditingProvider>, {
    known: [
      [keys.session, SESSION],
      [keys.experiment(known.key), known],
    ],
  });
}

const rounds: Rounds = {
  standing: "planned",
  planned: 2,
  sentence: "Up to 2 rounds were planned as one.",
  refused: "",
  together: [
    {
      metric: "paid-bookings",
      metric_name: "paid bookings",
      letter: "B",
      rounds: [
        {
          key: "fare-calendar~1",
          number: 1,
          first: "2026-01-05",
          last: "2026-02-01",
          units: [10_400, 10_600],
          lift: interval(-0.02, 0.04, 0.1),
        },
        { key: "", number: 2, first: "2026-02-05", last: "2026-03-04", units: [9_900, 10_100], lift: null },
      ],
      lift: interval(0.01, 0.05, 0.09),
      tone: "ahead",
      homogeneity_pvalue: 0.4,
      sentence: "The rounds agree as far as can be seen (p = 0.40).",
    },
  ],
};

describe("rounds side by side", () => {
  it("open each round, and stand together in the last line", () => {
    open(<RoundsPanel rounds={rounds} worthwhile={0.05} />, experiment());
    const [, first, second, together] = screen.getAllByRole("row");
    const link = (row: HTMLElement | undefined) => within(row!).getByRole("link").getAttribute("href");
    expect([link(first), link(second)]).toEqual([
      "/experiments/fare-calendar~1/evidence",
      "/experiments/fare-calendar/evidence",
    ]);
    expect(within(first!).getByText("21,000")).toBeTruthy();
    expect(within(together!).getByText("41,000")).toBeTruthy();
    expect(screen.getByRole("img", { name: /all rounds together: \+1/ })).toBeTruthy();
    expect(screen.getByText(/The rounds agree as far as can be seen/)).toBeTruthy();
  });

  it("say why they are not read together", () => {
    const refused = { ...rounds, refused: "Not read together: the variants differ.", together: [], sentence: "" };
    open(<RoundsPanel rounds={refused} worthwhile={0.05} />, experiment());
    expect(screen.getByText("Not read together: the variants differ.")).toBeTruthy();
    expect(screen.queryByRole("table")).toBeNull();
  });
});

function MayEdit() {
  const { mayEdit, mayAct } = useEditing();
  return <p>{`edit ${mayEdit}, act ${mayAct}`}</p>;
}

describe("a closed round", () => {
  const closed = experiment({ key: "fare-calendar~1", round_of: "fare-calendar", rounds: [FIRST], state: "ended" });

  it("is to be read only", () => {
    open(<MayEdit />, closed);
    expect(screen.getByText("edit false, act false")).toBeTruthy();
    cleanup();
    open(<StateActions />, closed);
    expect(screen.queryByRole("button")).toBeNull();
  });

  it("is listed with its dates next to the present one", () => {
    open(<Dates />, experiment({ round: 2, rounds: [FIRST] }));
    const link = screen.getByRole("link", { name: "Round 1" });
    expect(link.getAttribute("href")).toBe("/experiments/fare-calendar~1/evidence");
    expect(link.parentElement?.textContent).toContain("21,000 visitors");
  });
});

describe("a plan of several rounds", () => {
  const planned = experiment({ method: "group_sequential", rounds_planned: 2, rule_locked_at: null, state: "draft" });

  it("has a look at the end of each instead of looks of its own, and is given up with the method", async () => {
    const calls = serve({ [`PATCH ${PATH}`]: [{ body: planned }] });
    open(<RulePanel />, planned);
    expect(screen.getByLabelText("Rounds read together")).toHaveProperty("value", "2");
    expect(screen.queryByLabelText("Looks")).toBeNull();
    expect(screen.getByLabelText("Longest run of each round")).toBeTruthy();
    fireEvent.click(screen.getByRole("radio", { name: /^Once, at the end/ }));
    const sent = () => calls.filter((call) => call.method === "PATCH");
    await waitFor(() => expect(sent()).toHaveLength(1));
    expect(sent()[0]?.body).toMatchObject({ changes: { method: "fixed", rounds_planned: 1 } });
  });

  it("goes on by the same rule after a round that settled nothing", () => {
    open(<StateActions />, experiment({ state: "ended", rounds_left: 1 }));
    fireEvent.click(screen.getByRole("button", { name: "Next round of the plan…" }));
    expect(screen.getByText(/begins by the same rule once it is started/)).toBeTruthy();
    cleanup();
    open(<StateActions settled />, experiment({ state: "ended", rounds_left: 1 }));
    expect(screen.getByRole("button", { name: "New round…" })).toBeTruthy();
    cleanup();
    open(<StateActions />, experiment({ state: "decided", rounds_left: 1 }));
    fireEvent.click(screen.getByRole("button", { name: "New round…" }));
    expect(screen.getByText(/This round stays to be read as it is/)).toBeTruthy();
  });
});
