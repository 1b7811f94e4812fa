import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import { Problem } from "../api/client";
import { IntervalStrip } from "../charts/IntervalStrip";
import { sharedAxis } from "../lib/axis";
import { useKeys } from "../lib/keyboard";
import { docketRow, interval, reading, show } from "../test/kit";
import { Row } from "../docket/Row";
import { VariantTable } from "../sheets/evidence/VariantTable";
import { Failure } from "./basics";
import { Conditions } from "./Conditions";
import { DayInput } from "./DayInput";
import { ComboField, DayField, NumberField, TextField } from "./fields";
import { Headline } from "./Headline";

afterEach(cleanup);

describe("a number field", () => {
  it("saves on leaving, once, and only what differs", () => {
    const save = vi.fn();
    show(<NumberField label="Rate" percent value={0.05} save={save} />);
    const field = screen.getByLabelText("Rate");
    fireEvent.blur(field);
    fireEvent.change(field, { target: { value: "5" } });
    fireEvent.blur(field);
    expect(save).not.toHaveBeenCalled();
    fireEvent.change(field, { target: { value: "6.5 %" } });
    fireEvent.keyDown(field, { key: "Enter" });
    fireEvent.blur(field);
    expect(save).toHaveBeenCalledExactlyOnceWith(0.065);
  });

  it("keeps what is no number, with the reason beside it", () => {
    const save = vi.fn();
    show(<NumberField label="Visitors" value={2900} save={save} />);
    const field = screen.getByLabelText("Visitors");
    fireEvent.change(field, { target: { value: "many" } });
    fireEvent.blur(field);
    expect(field).toHaveProperty("value", "many");
    expect(screen.getByRole("alert").textContent).toBe("Visitors (many) must be a number, such as 2900");
    expect(field.getAttribute("aria-invalid")).toBe("true");
    expect(save).not.toHaveBeenCalled();
    fireEvent.keyDown(field, { key: "Escape" });
    expect(field).toHaveProperty("value", "2900");
    expect(screen.queryByRole("alert")).toBeNull();
  });

  it("asks for a whole number where it must be one, and names what was typed", () => {
    const save = vi.fn();
    show(<NumberField label="Visitors" value={2900} save={save} whole />);
    const field = screen.getByLabelText("Visitors");
    fireEvent.change(field, { target: { value: "1.234,5" } });
    fireEvent.blur(field);
    expect(screen.getByRole("alert").textContent).toBe("Visitors (1.234,5) must be a whole number");
    expect(save).not.toHaveBeenCalled();
    fireEvent.change(field, { target: { value: "1,234" } });
    fireEvent.blur(field);
    expect(save).toHaveBeenCalledExactlyOnceWith(1234);
  });

  it("may be emptied only where nothing is an answer", () => {
    const save = vi.fn();
    show(<NumberField label="Baseline" value={3} save={save} required={false} />);
    const field = screen.getByLabelText("Baseline");
    fireEvent.change(field, { target: { value: " " } });
    fireEvent.blur(field);
    expect(save).toHaveBeenCalledExactlyOnceWith(null);
  });

  it("shows the server's reason and can be locked", () => {
    show(
      <NumberField
        label="Rate"
        percent
        value={0.05}
        save={vi.fn()}
        locked
        error="baseline (5) must lie between 0% and 100%"
      />,
    );
    expect(screen.getByRole("alert").textContent).toContain("must lie between");
    expect(screen.getByLabelText("Rate")).toHaveProperty("readOnly", true);
  });
});

describe("what was typed and refused", () => {
  const kinds = [
    [
      "a text field",
      "Booking",
      "Home=1",
      (value: unknown, save: () => void, error?: string) => (
        <TextField label="Area" value={value as string} save={save} error={error} />
      ),
    ],
    [
      "a number field",
      5,
      "700",
      (value: unknown, save: () => void, error?: string) => (
        <NumberField label="Area" value={value as number} save={save} error={error} />
      ),
    ],
    [
      "a field to choose from",
      "Booking",
      "Home=1",
      (value: unknown, save: () => void, error?: string) => (
        <ComboField label="Area" value={value as string} save={save} error={error} options={["Home"]} />
      ),
    ],
  ] as const;

  it.each(kinds)("stays in %s, is sent once, and gives way to another value for good", (_, before, typed, field) => {
    const save = vi.fn();
    const { rerender } = render(field(before, save));
    const input = screen.getByLabelText("Area", { selector: "input" });
    fireEvent.change(input, { target: { value: typed } });
    fireEvent.blur(input);
    rerender(field(before, save, "area must be something else"));
    fireEvent.blur(input);
    expect(input).toHaveProperty("value", typed);
    expect(save).toHaveBeenCalledTimes(1);
    // Saved at last, then undone: neither shows what was typed over the value before.
    const other = typeof before === "number" ? 8 : "Home";
    rerender(field(other, save));
    expect(input).toHaveProperty("value", String(other));
    rerender(field(before, save));
    expect(input).toHaveProperty("value", String(before));
  });
});

describe("a number field", () => {
  it("asks which number is meant where a text may mean two, and saves the one that is chosen", () => {
    const save = vi.fn();
    show(<NumberField label="Visitors" value={500} save={save} />);
    const field = screen.getByLabelText("Visitors");
    fireEvent.change(field, { target: { value: "8.000" } });
    fireEvent.blur(field);
    expect(save).not.toHaveBeenCalled();
    expect(screen.getByRole("alert").textContent).toContain("What is meant by 8.000?");
    fireEvent.click(screen.getByRole("button", { name: "8,000" }));
    expect(save).toHaveBeenCalledExactlyOnceWith(8000);
  });

  it.each([
    ["confidence (1.5) must be between 0.5 and 0.999", "confidence (150%) must be between 50% and 99.9%"],
    ["metrics.1.margin (0.05) is too small; 40% are free", "metrics.1.margin (5%) is too small; 40% are free"],
  ])("of per cent says a refusal of a share as it was typed: %j", (refusal, said) => {
    show(<NumberField label="Confidence" percent value={0.95} save={vi.fn()} error={refusal} />);
    expect(screen.getByRole("alert").textContent).toBe(said);
  });
});

describe("a day", () => {
  it("is saved when it is left, not with every part that is typed", () => {
    const save = vi.fn();
    show(<DayField label="First day" value="" save={save} />);
    const field = screen.getByLabelText("First day");
    for (const part of ["0002-03-01", "0020-03-01", "0202-03-01", "2026-03-01"])
      fireEvent.change(field, { target: { value: part } });
    expect(save).not.toHaveBeenCalled();
    fireEvent.blur(field);
    expect(save).toHaveBeenCalledExactlyOnceWith("2026-03-01");
  });

  it("of another century is refused with what is accepted, and stays in the field", () => {
    const save = vi.fn();
    show(<DayField label="First day" value="2026-03-01" save={save} />);
    const field = screen.getByLabelText("First day");
    fireEvent.change(field, { target: { value: "0202-03-01" } });
    fireEvent.blur(field);
    expect(save).not.toHaveBeenCalled();
    expect(screen.getByRole("alert").textContent).toMatch(
      /^First day \(0202-03-01\) must be a day from 2000-01-01 to /,
    );
    expect(field).toHaveProperty("value", "0202-03-01");
  });
});

describe("a day in a form", () => {
  it.each([
    ["a year half typed", "0202-03-01", "First day (0202-03-01) must be a day from 2000-01-01 to 2030-06-30"],
    ["a day after the last", "2030-07-01", "First day (2030-07-01) must be a day from 2000-01-01 to 2030-06-30"],
  ])("holds the form back with %s, and says why on leaving the field", (_what, typed, said) => {
    show(<DayInput label="First day" aria-label="First day" value={typed} change={vi.fn()} last="2030-06-30" />);
    const field = screen.getByLabelText<HTMLInputElement>("First day");
    expect(field.checkValidity()).toBe(false);
    expect(screen.queryByRole("alert")).toBeNull();
    fireEvent.blur(field);
    const why = screen.getByRole("alert");
    expect(why.textContent).toBe(said);
    expect(field.getAttribute("aria-describedby")).toBe(why.id);
  });

  it.each([
    ["2030-06-30T23:59", null],
    ["2030-07-01T00:00", "End (2030-07-01 00:00) must be a day from 2000-01-01 to 2030-06-30"],
  ])("is a moment where it is timed, with the whole last day accepted: %s", (value, said) => {
    show(<DayInput label="End" aria-label="End" timed value={value} change={vi.fn()} last="2030-06-30" />);
    const field = screen.getByLabelText("End");
    expect(field).toHaveProperty("max", "2030-06-30T23:59");
    fireEvent.blur(field);
    expect(screen.queryByRole("alert")?.textContent ?? null).toBe(said);
  });
});

describe("a text field", () => {
  it("saves trimmed text, and Escape brings back what was there", () => {
    const save = vi.fn();
    show(<TextField label="Area" value="Booking" save={save} />);
    const field = screen.getByLabelText("Area");
    fireEvent.change(field, { target: { value: "Home" } });
    fireEvent.keyDown(field, { key: "Escape" });
    expect(field).toHaveProperty("value", "Booking");
    fireEvent.change(field, { target: { value: "  Home " } });
    fireEvent.blur(field);
    expect(save).toHaveBeenCalledExactlyOnceWith("Home");
  });
});

describe("the interval strip", () => {
  const axis = { domain: [-0.1, 0.1] as [number, number], ticks: [0] };
  const strip = (lift: ReturnType<typeof interval>) =>
    show(<IntervalStrip lift={lift} tone="ahead" worthwhile={0.03} axis={axis} width={216} sentence="what it says" />);

  it("draws band, zero, interval and estimate to scale", () => {
    const { container } = strip(interval(0.02, 0.05, 0.08));
    const [band, diamond] = container.querySelectorAll("rect");
    // 200 px for 20 points: 10 px a point, zero in the middle.
    expect(Number(band?.getAttribute("x"))).toBeCloseTo(78);
    expect(Number(band?.getAttribute("width"))).toBeCloseTo(60);
    const [x, y] =
      /translate\((\S+) (\S+)\)/
        .exec(diamond?.getAttribute("transform") ?? "")
        ?.slice(1)
        .map(Number) ?? [];
    expect([x, y].map((place) => Math.round(place ?? NaN))).toEqual([158, 11]);
    const [from, to, zero, line] = container.querySelectorAll("line");
    expect([from, to].map((edge) => Math.round(Number(edge?.getAttribute("x1"))))).toEqual([78, 138]);
    expect(Number(zero?.getAttribute("x1"))).toBeCloseTo(108);
    expect([line?.getAttribute("x1"), line?.getAttribute("x2")].map((at) => Math.round(Number(at)))).toEqual([
      128, 188,
    ]);
    expect(screen.getByRole("img", { name: "what it says" }).querySelector("title")?.textContent).toBe(
      "+5.0% (+2.0 to +8.0)",
    );
  });

  it("ends in an arrow where a bound lies beyond the axis", () => {
    const { container } = strip(interval(-0.5, 0.01, 0.05));
    expect(container.querySelectorAll("path")).toHaveLength(1);
  });

  it("fades where there is no limit, and hides an estimate that is not defined", () => {
    const { container } = strip({ ...interval(0.02, null, null), high_open: true });
    expect(container.querySelectorAll("[stroke-dasharray]")).toHaveLength(1);
    expect(container.querySelectorAll("rect")).toHaveLength(1);
  });
});

describe("a row of the docket", () => {
  const axis = sharedAxis([interval(0.031, 0.084, 0.139)], 0.03);

  it("leads to the verdict when it is ready, with mark and words", () => {
    show(<Row row={docketRow()} axis={axis} />);
    const link = screen.getByRole("link");
    expect(link.getAttribute("href")).toBe("/experiments/fare-calendar/verdict");
    expect(link.textContent).toContain("▲ B ahead. +8.4%");
    expect(link.textContent).toContain("Day 28 of 28");
  });

  it("leads to the evidence while collecting, without the mark of a verdict", () => {
    const row = docketRow({
      group: "collecting",
      verdict: "keep_collecting",
      short: "Too early to say: 61% of the planned data",
      days: 13,
      progress: 0.61,
    });
    show(<Row row={row} axis={axis} />);
    expect(screen.getByRole("link").getAttribute("href")).toBe("/experiments/fare-calendar/evidence");
    expect(screen.queryByText("…")).toBeNull();
    expect(screen.getByRole("img", { name: "61% of the planned data" })).toBeTruthy();
  });

  it("leads to the brief in preparation, and shows no strip", () => {
    show(
      <Row
        row={docketRow({ group: "preparation", state: "draft", verdict: null, lift: null, planned_days: 0 })}
        axis={axis}
      />,
    );
    expect(screen.getByRole("link").getAttribute("href")).toBe("/experiments/fare-calendar/brief");
    expect(screen.queryByRole("img")).toBeNull();
  });
});

describe("the variant table", () => {
  it("gives counts, rates, lift and p", () => {
    show(<VariantTable reading={reading()} />);
    const [, control, variant] = screen.getAllByRole("row");
    expect(control?.textContent).toContain("baseline");
    expect(variant?.textContent).toContain("41,480");
    expect(variant?.textContent).toContain("+8.4%");
    expect(variant?.textContent).toContain("0.0018");
  });

  it("shows no lift of an unsound test", () => {
    show(<VariantTable reading={reading({ verdict: "unsound" })} />);
    expect(screen.queryByText("+8.4%")).toBeNull();
    expect(screen.getByText("not read")).toBeTruthy();
  });
});

describe("conditions", () => {
  const line = {
    key: "days",
    subject: "minimum",
    label: "Ran at least 28 days",
    state: "not_met",
    seen: "12 days",
    required: "28 days",
  } as const;

  it.each([
    ["keep_collecting", "not yet met"],
    ["unresolved", "not met"],
  ] as const)("a minimum that is not reached is, when %s, %s", (verdict, said) => {
    show(<Conditions reading={reading({ verdict, conditions: [line] })} />);
    expect(screen.getByRole("img", { name: said })).toBeTruthy();
  });

  it("a split that failed is never only waiting", () => {
    show(
      <Conditions reading={reading({ verdict: "unsound", conditions: [{ ...line, subject: "soundness" }] })} wide />,
    );
    expect(screen.getByRole("img", { name: "not met" })).toBeTruthy();
    expect(screen.getByText("required: 28 days")).toBeTruthy();
  });
});

describe("a headline", () => {
  it("colours the figure and loses no letter", () => {
    const { container } = show(<Headline text="It brings +8.4%, or so." figure="+8.4%" tone="ahead" className="" />);
    expect(container.textContent).toBe("It brings +8.4%, or so.");
    expect(container.querySelector(".tone-ahead")?.textContent).toBe("+8.4%");
  });

  it("stands without a figure", () => {
    const { container } = show(<Headline text="Too early to say." figure="" tone="open" className="" />);
    expect(container.querySelector("span")).toBeNull();
  });
});

describe("failures", () => {
  it("show the server's sentence and let one try again", () => {
    const again = vi.fn();
    show(<Failure error={new Problem(500, { title: "It broke" })} again={again} />);
    fireEvent.click(screen.getByRole("button", { name: "Try again" }));
    expect(screen.getByRole("alert").textContent).toContain("It broke");
    expect(again).toHaveBeenCalledOnce();
  });

  it("gather the messages of all fields", () => {
    const problem = new Problem(422, {
      errors: [
        { field: "units", message: "units (x) must be whole" },
        { field: "name", message: "name is empty" },
      ],
    });
    expect(problem.message).toBe("units (x) must be whole; name is empty");
    expect(problem.fields.name).toBe("name is empty");
    expect(problem.stale).toBe(false);
    expect(new Problem(409, { title: "Changed", current_version: 3 }).stale).toBe(true);
  });
});

describe("page keys", () => {
  function Keyed({ jump, go }: { jump: () => void; go: () => void }) {
    useKeys({ "g d": jump, "1": go });
    return <input aria-label="field" />;
  }

  it("take single keys and pairs, and rest while one types", () => {
    const [jump, go] = [vi.fn(), vi.fn()];
    show(<Keyed jump={jump} go={go} />);
    fireEvent.keyDown(screen.getByLabelText("field"), { key: "1" });
    expect(go).not.toHaveBeenCalled();
    fireEvent.keyDown(window, { key: "1" });
    fireEvent.keyDown(window, { key: "d" });
    expect(jump).not.toHaveBeenCalled();
    fireEvent.keyDown(window, { key: "g" });
    fireEvent.keyDown(window, { key: "d" });
    fireEvent.keyDown(window, { key: "1", ctrlKey: true });
    expect([jump.mock.calls.length, go.mock.calls.length]).toEqual([1, 1]);
  });
});
