import { useState } from "react";
import { cleanup, fireEvent, screen, waitFor, within } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import { keys } from "../api/keys";
import {
  SESSION,
  comparison,
  experiment,
  interval,
  metricUse,
  preview,
  reading,
  serve,
  show,
  sideComparison,
} from "../test/kit";
import { Variants } from "./brief/Variants";
import { EditingProvider, useEditing } from "./editing";
import { Method } from "./evidence/Method";
import { SecondaryMetrics } from "./evidence/SecondaryMetrics";
import { VariantTable } from "./evidence/VariantTable";
import { LedgerSheet } from "./LedgerSheet";
import { Rail } from "./Rail";
import { StateActions } from "./StateActions";
import { Split } from "./traffic/Split";
import { DecisionForm } from "./verdict/DecisionForm";
import { planOf, sentPlan } from "./verdict/RolloutForm";
import type { PlanLine } from "./verdict/RolloutLines";
import type { Table } from "../lib/paste";
import { CountsGrid } from "./watch/CountsGrid";
import { DataIn } from "./watch/DataIn";
import { PreviewPanel } from "./watch/PreviewPanel";

afterEach(cleanup);
const PATH = "/experiments/fare-calendar";

/** A part inside an experiment that the cache knows. */
function open(part: React.ReactNode, known = experiment()) {
  return show(<EditingProvider experiment={known}>{part}</EditingProvider>, {
    known: [
      [keys.session, SESSION],
      [keys.experiment(known.key), known],
    ],
  });
}

function Area() {
  const { experiment: seen, save, undo, canUndo, clash, settle, error } = useEditing();
  return (
    <>
      <output>{seen.area}</output>
      <button onClick={() => save({ area: "Home" })}>edit</button>
      <button onClick={undo} disabled={!canUndo}>
        undo
      </button>
      <button onClick={() => settle(true)}>mine</button>
      <i>{clash ? "clash" : (error?.message ?? "")}</i>
    </>
  );
}

describe("editing", () => {
  it("sends the version, then undoes with the version that came back", async () => {
    const calls = serve({
      [`PATCH ${PATH}`]: [
        { body: experiment({ area: "Home", version: 4 }) },
        { body: experiment({ area: "Booking", version: 5 }) },
      ],
    });
    open(<Area />);
    expect(screen.getByText("undo")).toHaveProperty("disabled", true);
    fireEvent.click(screen.getByText("edit"));
    await waitFor(() => expect(screen.getByText("undo")).toHaveProperty("disabled", false));
    fireEvent.click(screen.getByText("undo"));
    await waitFor(() => expect(calls).toHaveLength(2));
    expect(calls.map((call) => call.body)).toEqual([
      { version: 3, changes: { area: "Home" }, reason: "", new_round: false },
      { version: 4, changes: { area: "Booking" }, reason: "", new_round: false },
    ]);
    await waitFor(() => expect(screen.getByText("undo")).toHaveProperty("disabled", true));
  });

  it("keeps what was typed when somebody else was quicker, and sends it again when asked", async () => {
    const calls = serve({
      [`PATCH ${PATH}`]: [
        { status: 409, body: { title: "Somebody changed it", status: 409, current_version: 9 } },
        { body: experiment({ area: "Home", version: 10 }) },
      ],
      [`GET ${PATH}`]: [{ body: experiment({ area: "Theirs", version: 9 }) }],
    });
    open(<Area />);
    fireEvent.click(screen.getByText("edit"));
    await screen.findByText("clash");
    fireEvent.click(screen.getByText("mine"));
    await waitFor(() => expect(calls.filter((call) => call.method === "PATCH")).toHaveLength(2));
    expect(screen.queryByText("clash")).toBeNull();
  });

  it("shows why a change was refused and forgets nothing", async () => {
    serve({
      [`PATCH ${PATH}`]: [
        { status: 422, body: { title: "No", errors: [{ field: "area", message: "area is too long" }] } },
      ],
    });
    open(<Area />);
    fireEvent.click(screen.getByText("edit"));
    await screen.findByText("area is too long");
    expect(screen.getByRole("status").textContent).toBe("Booking");
  });

  it("is for parts inside a provider only", () => {
    const quiet = vi.spyOn(console, "error").mockImplementation(() => undefined);
    expect(() => show(<Area />)).toThrow("useEditing is for parts inside <EditingProvider>");
    quiet.mockRestore();
  });
});

describe("the variants of a brief", () => {
  it("are copied from one another and split their changes at semicolons", async () => {
    const calls = serve({
      [`PATCH ${PATH}`]: [{ body: experiment({ version: 4 }) }, { body: experiment({ version: 5 }) }],
    });
    open(<Variants />);
    fireEvent.click(screen.getByRole("button", { name: "Copy B to a new variant" }));
    const field = screen.getByLabelText("Changes in B, separated by semicolons");
    fireEvent.change(field, { target: { value: "calendar; colour ;" } });
    fireEvent.blur(field);
    await waitFor(() => expect(calls).toHaveLength(2));
    const sent = calls.map(
      (call) => (call.body as { changes: { variants: { name: string; changes: string[] }[] } }).changes.variants,
    );
    expect(sent[0]?.map((variant) => variant.name)).toEqual(["List first", "Calendar first", "Calendar first (copy)"]);
    expect(sent[1]?.[1]?.changes).toEqual(["calendar", "colour"]);
  });

  it("cannot be added or removed once the rule is locked", () => {
    open(<Variants />, experiment({ rule_locked_at: "2026-03-02T06:00:00Z", state: "running" }));
    expect(screen.queryByRole("button", { name: /Copy|Remove/ })).toBeNull();
    expect(screen.getByLabelText("Name of B")).toHaveProperty("readOnly", false);
  });
});

describe("the split", () => {
  it("takes weights and refuses what is none", async () => {
    const calls = serve({ [`PATCH ${PATH}`]: [{ body: experiment() }] });
    open(<Split />);
    const weight = screen.getByLabelText("Weight of B");
    fireEvent.change(weight, { target: { value: "0" } });
    fireEvent.blur(weight);
    expect(screen.getByText("must be a number above 0")).toBeTruthy();
    expect(calls).toHaveLength(0);
    fireEvent.change(weight, { target: { value: "3" } });
    fireEvent.blur(weight);
    await waitFor(() => expect(calls).toHaveLength(1));
  });
});

describe("the rail", () => {
  it("shows the plan by itself", () => {
    open(<Rail reading={undefined} />);
    const rail = screen.getByRole("navigation", { name: "Sheets" });
    expect(within(rail).getByText("Decides: paid bookings")).toBeTruthy();
    expect(within(rail).getByText("100% of visitors · 50/50")).toBeTruthy();
  });

  it("gives no lift of an unsound test", () => {
    open(<Rail reading={reading({ verdict: "unsound", variant: null })} />);
    expect(screen.getByText("Not to be read")).toBeTruthy();
    expect(screen.queryByText(/8\.4/)).toBeNull();
  });
});

describe("what can be done in each state", () => {
  it.each([
    ["draft", ["Start it…", "Archive", "Copy", "Hand over…"]],
    ["running", ["Pause…", "End…", "Copy", "Hand over…"]],
    ["paused", ["Resume", "End…", "Copy", "Hand over…"]],
    ["decided", ["New round…", "Archive", "Copy", "Hand over…"]],
    ["archived", ["Restore", "Copy", "Hand over…"]],
  ] as const)("%s", (state, names) => {
    open(<StateActions />, experiment({ state }));
    expect(screen.getAllByRole("button").map((button) => button.textContent)).toEqual(names);
  });

  it("asks before it ends, since that cannot be undone", async () => {
    const calls = serve({ [`POST ${PATH}/move/end`]: [{ body: experiment({ state: "ended" }) }] });
    open(<StateActions />, experiment({ state: "running" }));
    fireEvent.click(screen.getByText("End…"));
    expect(calls).toHaveLength(0);
    fireEvent.click(screen.getByText("End", { selector: "[role=dialog] button" }));
    await waitFor(() => expect(calls).toHaveLength(1));
  });
});

describe("the decision form", () => {
  it("asks for a reason only where the choice differs from the rule, and shows the refusal beside it", async () => {
    const calls = serve({
      [`POST ${PATH}/decision`]: [
        { status: 422, body: { title: "No", errors: [{ field: "reason", message: "reason (empty) must say why" }] } },
      ],
    });
    open(<DecisionForm reading={reading()} />, experiment({ state: "running" }));
    expect(screen.queryByText("Why does it differ from the rule?")).toBeNull();
    fireEvent.click(screen.getByLabelText("Keep A: List first"));
    fireEvent.click(screen.getByText("Record the decision"));
    await screen.findByText("reason (empty) must say why");
    expect(calls[0]?.body).toEqual({ choice: "A", reason: "", next_step: "", rollout: null });
  });

  it("rolls out in the same step: at once, by steps, or later", async () => {
    const calls = serve({ [`POST ${PATH}/decision`]: [{ body: experiment({ state: "decided" }) }] });
    open(<DecisionForm reading={reading()} />, experiment({ state: "running" }));
    expect(screen.getByLabelText("With the decision")).toHaveProperty("checked", true);
    fireEvent.click(screen.getByText("By steps: 10, 50, 100%"));
    fireEvent.click(screen.getByText("A line before"));
    fireEvent.change(screen.getByLabelText("Name of line 1"), { target: { value: "Phones" } });
    fireEvent.change(screen.getByLabelText("Variant of line 1"), { target: { value: "A" } });
    fireEvent.click(screen.getByText("Record the decision"));
    await waitFor(() => expect(calls).toHaveLength(1));
    const sent = calls[0]?.body as { rollout: { steps: { share: number }[]; lines: PlanLine[] } };
    expect(sent.rollout.steps.map((step) => step.share)).toEqual([0.1, 0.5, 1]);
    expect(sent.rollout.lines.map((line) => [line.name, line.letter, line.rules.length])).toEqual([
      ["Phones", "A", 1],
      ["Everybody", "B", 0],
    ]);
  });

  it("sends a rollout back as it came where nothing was changed", () => {
    const rules = ["phone", "tablet"].map((value) => ({
      kind: "all" as const,
      conditions: [{ attribute: "device", operator: "is" as const, values: [value], kind: "text" as const }],
    }));
    const kept = {
      steps: [{ day: "2026-04-01", share: 0.125 }],
      lines: [{ name: "Small", letter: "B", rules }],
      holdout: 0.075,
      until: "2026-05-01",
    };
    const ended = { stopped_at: null, released_at: null, result: null, served_here: true };
    const rollout = { ...kept, ...ended, letter: "C", share_today: 1, sentence: "" };
    expect(sentPlan(planOf(rollout), "C")).toEqual(kept);
  });

  it("fills nothing in before the rule has spoken", () => {
    open(
      <DecisionForm reading={reading({ suggested: "", verdict: "keep_collecting" })} />,
      experiment({ state: "running" }),
    );
    expect(screen.getByText("Record the decision")).toHaveProperty("disabled", true);
  });
});

describe("the preview of a file", () => {
  const panel = (changes: Parameters<typeof preview>[0] = {}) => {
    const [choose, chooseMark, store] = [vi.fn(), vi.fn(), vi.fn()];
    open(
      <PreviewPanel
        preview={preview(changes)}
        storing={false}
        fileName="counts.csv"
        choose={choose}
        chooseMark={chooseMark}
        store={store}
        discard={vi.fn()}
      />,
    );
    return { choose, chooseMark, store };
  };

  it("asks for the decimal mark where the numbers do not show it, and only there", () => {
    const { chooseMark } = panel({ decimal_open: true });
    fireEvent.change(screen.getByLabelText("decimals come after a"), { target: { value: "," } });
    expect(chooseMark).toHaveBeenCalledExactlyOnceWith(",");
    cleanup();
    panel();
    expect(screen.queryByLabelText("decimals come after a")).toBeNull();
  });

  it("says what it holds and what storing does", () => {
    const { store } = panel();
    expect(screen.getByText(/28 day counts new, 0 changed, 0 as they are/)).toBeTruthy();
    fireEvent.click(screen.getByText("Store 28 rows"));
    expect(store).toHaveBeenCalledExactlyOnceWith(false);
  });

  it("lists wrong rows and stores the right ones only when told to", () => {
    const wrong = [{ line: 3, column: "units", value: "ten", reason: "units (ten) must be a whole number" }];
    const { store } = panel({ wrong, wrong_count: 1 });
    expect(screen.getByRole("region", { name: "Wrong rows" }).textContent).toContain("3unitstenunits (ten) must be");
    fireEvent.click(screen.getByText("Store the 27 right rows, leave out 1"));
    expect(store).toHaveBeenCalledExactlyOnceWith(true);
  });

  it("asks for a column whose name does not say, and offers nothing to store before", () => {
    const { choose } = panel({ columns: { day: 0, variant: 1, units: null, conversions: 3 }, difference: null });
    expect(screen.queryByText(/^Store \d/)).toBeNull();
    fireEvent.change(screen.getByLabelText("units is in column"), { target: { value: "2" } });
    expect(choose).toHaveBeenCalledExactlyOnceWith("units", 2);
  });
});

function Typing({ read }: { read: (file: File) => void }) {
  const draft = useState<Table | null>(null);
  return <CountsGrid fields={["day", "variant", "units", "conversions"]} draft={draft} read={read} />;
}

describe("the grid of counts", () => {
  /** What stands in the file that the grid hands on after these pastes, each into the field of that name. */
  async function handedOn(pastes: [field: string, text: string][]) {
    const read = vi.fn<(file: File) => void>();
    open(<Typing read={read} />);
    for (const [field, text] of pastes)
      fireEvent.paste(screen.getByLabelText(field), { clipboardData: { getData: () => text } });
    fireEvent.click(screen.getByText("Preview"));
    return new Promise((resolve) => {
      const reader = new FileReader();
      reader.onload = () => resolve(reader.result);
      reader.readAsText(read.mock.calls[0]?.[0] ?? new Blob());
    });
  }
  const HEADED = "n\tDate\tArm\tx\n1,000\t2026-03-02\tA\t50\n990\t2026-03-02\tB\t61";

  it("takes pasted headings with what stands below them, whatever their order", async () => {
    expect(await handedOn([["day, row 1", HEADED]])).toBe('n,Date,Arm,x\n"1,000",2026-03-02,A,50\n990,2026-03-02,B,61');
  });

  it("puts a second headed paste below its own names, and has a column more for what is new", async () => {
    const more = "ARM\tx\tnote\nC\t70\tlate";
    expect(
      await handedOn([
        ["day, row 1", HEADED],
        ["Date, row 2", more],
      ]),
    ).toBe('n,Date,Arm,x,note\n"1,000",2026-03-02,A,50,\n990,2026-03-02,C,70,late');
  });

  it("gives columns of the same name, and of names in other letters, a place each", async () => {
    const other = "Дата\tГруппа\tx\tx\n2026-03-02\tC\t70\t71";
    expect(
      await handedOn([
        ["day, row 1", HEADED],
        ["Date, row 1", other],
      ]),
    ).toBe('n,Date,Arm,x,Дата,Группа,x\n"1,000",2026-03-02,A,70,2026-03-02,C,71\n990,2026-03-02,B,61,,,');
  });

  it("lays cells without headings from the field on into which they are pasted", async () => {
    expect(await handedOn([["units, row 1", "1000\t50\n990\t61"]])).toBe(
      "variant,units,conversions\nA,1000,50\nB,990,61",
    );
  });

  it("is gone through by the arrow keys and Enter, and by Tab along one row only", () => {
    open(<Typing read={vi.fn()} />);
    const at = (name: string) => screen.getByLabelText<HTMLInputElement>(name);
    const press = (key: string) => fireEvent.keyDown(document.activeElement!, { key });
    at("day, row 1").focus();
    const way: [key: string, to: string][] = [
      ["ArrowUp", "day, row 1"],
      ["ArrowDown", "day, row 2"],
      ["ArrowRight", "variant, row 2"],
      ["ArrowRight", "units, row 2"], // what was reached by a key is selected to its end
      ["ArrowUp", "units, row 1"],
      ["ArrowLeft", "variant, row 1"],
      ["Enter", "variant, row 2"],
      ["Enter", "variant, row 2"],
    ];
    for (const [key, to] of way) {
      press(key);
      expect(document.activeElement?.getAttribute("aria-label"), key).toBe(to);
    }
    const stops = screen.getAllByRole<HTMLInputElement>("textbox").filter((field) => field.tabIndex === 0);
    expect(stops.map((field) => field.getAttribute("aria-label"))).toEqual(
      ["day", "variant", "units", "conversions"].map((name) => `${name}, row 2`),
    );
  });

  it("leaves the arrow keys to the text while the caret is within it", () => {
    open(<Typing read={vi.fn()} />);
    const field = screen.getByLabelText<HTMLInputElement>("units, row 1");
    fireEvent.change(field, { target: { value: "1200" } });
    field.focus();
    field.setSelectionRange(2, 2);
    for (const key of ["ArrowLeft", "ArrowRight"]) {
      fireEvent.keyDown(field, { key });
      expect(document.activeElement).toBe(field);
    }
  });
});

describe("the ledger", () => {
  it("shows who changed what from what to what", () => {
    const entry = {
      at: "2026-03-02T06:00:00Z",
      by: "Mona Orrell",
      verb: "edit",
      sentence: "Changed worthwhile lift",
      detail: { changes: [{ field: "worthwhile_lift", before: 0.1, after: 0.08 }] },
    };
    show(
      <EditingProvider experiment={experiment()}>
        <LedgerSheet />
      </EditingProvider>,
      {
        known: [
          [keys.session, SESSION],
          [keys.ledger("fare-calendar"), { items: [entry], count: 1 }],
        ],
      },
    );
    expect(screen.getByText("worthwhile lift: 0.1 → 0.08")).toBeTruthy();
    expect(screen.getByText("2 Mar, 06:00")).toBeTruthy();
  });
});

describe("how the figures are made", () => {
  it.each([
    [{}, "Score test of two rates", "Student’s interval"],
    [{ kind: "mean" as const }, "Welch’s test of two means", "Score test"],
    [{ kind: "ratio" as const }, "Deng, Knoblich & Lu 2018", "Wilson’s score"],
    [{ method: "group_sequential" as const }, "Lan & DeMets 1983", "Robbins 1970"],
    [{ method: "always_valid" as const }, "Robbins 1970", "Lan & DeMets"],
    [{ method: "posterior" as const }, "Cook 2003", "Koopman 1984"],
    [{ one_sided: true }, "the bound that decides", "Robbins 1970"],
  ])("%o", (changes, phrase, not) => {
    const { container } = open(<Method reading={reading(changes)} />);
    expect(container.textContent).toContain(phrase);
    expect(container.textContent).not.toContain(not);
    expect(container.textContent).toContain("B 3.100");
  });

  it("shows a probability in place of p under a posterior rule, with the expected loss", () => {
    const match = reading({
      method: "posterior",
      comparisons: [comparison({ superiority: 0.987, expected_loss: 0.0004 })],
    });
    open(
      <>
        <VariantTable reading={match} />
        <Method reading={match} />
      </>,
    );
    expect(screen.getByText("better with")).toBeTruthy();
    expect(screen.getByText("98.7%")).toBeTruthy();
    expect(screen.getByText(/Expected loss here: B 0.040%/)).toBeTruthy();
  });

  it("rounds no probability to certainty", () => {
    open(
      <VariantTable reading={reading({ method: "posterior", comparisons: [comparison({ superiority: 0.99998 })] })} />,
    );
    expect(screen.getByText("99.9%")).toBeTruthy();
  });

  it("heads the columns by the kind of metric", () => {
    open(
      <VariantTable reading={reading({ kind: "mean", unit: "money", currency: "EUR", method: "group_sequential" })} />,
    );
    expect(screen.getByText("Mean, EUR")).toBeTruthy();
    expect(screen.getByText("Total")).toBeTruthy();
    expect(screen.getByText("adjusted p")).toBeTruthy();
  });
});

describe("secondary metrics", () => {
  const side = (changes: object) => ({
    key: "fare",
    name: "fare",
    role: "guardrail" as const,
    margin: 0.05,
    kind: "mean" as const,
    unit: "money",
    currency: "EUR",
    good_direction: "up" as const,
    arms: [
      { letter: "A", units: 100, level: interval(39, 40, 41) },
      { letter: "B", units: 100, level: interval(40, 41, 42) },
    ],
    comparisons: [
      sideComparison({ lift: interval(-0.01, 0.025, 0.06), sentence: "fare, B against A: lift +2.5%", ...changes }),
    ],
  });

  it.each([
    [{}, "kept"],
    [{ kept: false }, "not shown yet"],
    [{ kept: false, lost: true }, "harmed"],
  ])("says of a guardrail %o", (changes, phrase) => {
    open(<SecondaryMetrics reading={reading({ secondary: [side(changes)] })} />);
    expect(screen.getByText(phrase)).toBeTruthy();
    expect(screen.getByText("41.00 EUR")).toBeTruthy();
    expect(screen.getByRole("img").getAttribute("aria-label")).toContain("lift +2.5%");
  });

  it("draws nothing where there are none", () => {
    open(<SecondaryMetrics reading={reading()} />);
    expect(screen.queryByText("Secondary and guardrail metrics")).toBeNull();
  });
});

describe("bringing in figures of another metric", () => {
  it("asks for the columns of its kind and sends its key", async () => {
    const fare = metricUse({
      key: "fare",
      name: "fare",
      role: "secondary",
      fields: ["day", "variant", "units", "total", "squares"],
    });
    const calls = serve({
      [`POST ${PATH}/imports/preview`]: [{ status: 422, body: { title: "No", errors: [] } }],
    });
    open(<DataIn />, experiment({ state: "running", metrics: [metricUse(), fare] }));
    fireEvent.change(screen.getByLabelText("Figures of"), { target: { value: "fare" } });
    expect(
      screen.getByText(
        /^day, variant, units, total, squares: one row a day and variant; of weeks or all days with from and to; with totals only/,
      ),
    ).toBeTruthy();
    fireEvent.click(screen.getByText("Type or paste"));
    expect(screen.getByLabelText("squares, row 1")).toBeTruthy();
    fireEvent.click(screen.getByText("Preview"));
    await screen.findByRole("alert");
    expect(calls[0]?.path).toBe(`${PATH}/imports/preview`);
  });
});
