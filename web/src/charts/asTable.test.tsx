import { cleanup, fireEvent, screen, waitFor, within } from "@testing-library/react";
import { afterEach, expect, it, vi } from "vitest";
import type { ReactNode } from "react";
import { show } from "../test/kit";
import { CoursePicture } from "./CoursePicture";
import { DailyLines } from "./DailyLines";
import { LiftOverTime } from "./LiftOverTime";
import { PlaceboPicture } from "./PlaceboPicture";
import { SpendPicture } from "./SpendPicture";
import { WeeksCurve } from "./WeeksCurve";

afterEach(cleanup);

const DAYS = ["2026-03-02", "2026-03-03"];
const COURSE = {
  first: "2026-03-01",
  start: 1,
  observed: [900, 1000],
  expected: [910, 1010],
  low: [800, 850],
  high: [1000, 1100],
  running: [-10],
  running_low: [-160],
  running_high: [90],
};

/** Each chart with values of two points, or of one, and what its table has to say and what is copied of it. */
const CHARTS: [name: string, chart: ReactNode, rows: string[][], copied: string][] = [
  [
    "of counts by day",
    <DailyLines
      days={DAYS}
      values={[
        [10, null],
        [12, 14],
      ]}
      format={(value) => `${value}!`}
      label="Visitors by day"
    />,
    [
      ["Day", "A", "B"],
      ["Mon 2 Mar", "10!", "12!"],
      ["Tue 3 Mar", "none", "14!"],
    ],
    "2026-03-02\t10\t12\n2026-03-03\t\t14",
  ],
  [
    "of the lift over time",
    <LiftOverTime
      days={DAYS}
      series={{ letter: "B", estimate: [0.1, 0.05], low: [-0.1, 0.01], high: [0.3, 0.09] }}
      worthwhile={0.1}
      colour="black"
    />,
    [
      ["Day", "Lift", "Lower end", "Upper end"],
      ["2 March, day 1", "+10.0%", "−10.0%", "+30.0%"],
      ["3 March, day 2", "+5.0%", "+1.0%", "+9.0%"],
    ],
    "2026-03-02\t0.1\t-0.1\t0.3\n2026-03-03\t0.05\t0.01\t0.09",
  ],
  [
    "of what each week adds",
    <WeeksCurve curve={[null, 0.12]} weeks={2} wanted={0.1} />,
    [
      ["Weeks", "Smallest lift"],
      ["1", "none"],
      ["2", "12.0%"],
    ],
    "1\t\n2\t0.12",
  ],
  [
    "of the course by region",
    <CoursePicture course={COURSE} testDays={1} confidence="90%" what="days" />,
    [
      ["Day", "Observed", "Expected", "90% by chance, from", "to"],
      ["Sun 1 Mar", "900", "910", "800", "1,000"],
      ["Mon 2 Mar", "1,000", "1,010", "850", "1,100"],
    ],
    "2026-03-01\t900\t910\t800\t1000\n2026-03-02\t1000\t1010\t850\t1100",
  ],
  [
    "of the running sum by region",
    <CoursePicture course={COURSE} testDays={1} confidence="90%" what="sum" />,
    [
      ["Day", "Since the start", "90% by chance, from", "to"],
      ["Mon 2 Mar", "−10", "−160", "90"],
    ],
    "2026-03-02\t-10\t-160\t90",
  ],
  [
    "of what is spent",
    <SpendPicture
      spend={[{ group: "control", planned: [100], spent: [null] }] as never}
      title={() => "Control"}
      start="2026-03-02"
      currency="EUR"
    />,
    [
      ["Day", "control, spent", "control, planned"],
      ["Mon 2 Mar", "none", "100"],
    ],
    "2026-03-02\t\t100",
  ],
  [
    "of the tries on past days",
    <PlaceboPicture placebo={{ power: 0.8, found: [{ lift: 0, share: 0.05, error: 0.01 }] } as never} />,
    [
      ["Effect added", "Shown", "Twice the Monte Carlo error"],
      ["no effect", "5%", "2%"],
    ],
    "0\t0.05\t0.02",
  ],
];

it.each(CHARTS)("a chart %s has its values as a table", async (_name, chart, rows, copied) => {
  show(chart);
  expect(screen.queryByRole("table")).toBeNull();
  const details = screen.getByText("As a table").closest("details")!;
  details.open = true;
  fireEvent(details, new Event("toggle"));
  const lines = within(screen.getByRole("table")).getAllByRole("row");
  const cells = lines.map((line) =>
    [...line.querySelectorAll("th, td")].map((cell) => cell.textContent?.replace(/[▲▼↕\s]+$/, "")),
  );
  expect(cells).toEqual(rows);
  const writeText = vi.fn(() => Promise.resolve());
  Object.assign(navigator, { clipboard: { writeText } });
  fireEvent.click(screen.getByText("Copy table"));
  await waitFor(() => expect(writeText).toHaveBeenCalledExactlyOnceWith(`${rows[0]!.join("\t")}\n${copied}`));
});
