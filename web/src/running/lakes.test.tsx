import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import { keys } from "../api/keys";
import { SESSION, serve, show } from "../test/kit";
import { Lakes } from "./Lakes";

const COUNTED = { experiment: "sea-view", days: 12, units: 24_000, changed: 3, seconds: 2.4, problem: "" };
const RUN = {
  id: 7,
  by: "Mona",
  planned: true,
  state: "done",
  started_at: "2026-03-10T04:00:00Z",
  ended_at: "2026-03-10T04:00:09Z",
  doing: "",
  rows: 81_289,
  counted: [COUNTED, { ...COUNTED, experiment: "from-files", days: 0, units: 0, changed: 0 }],
  problem: "",
};
const LAKE = {
  name: "sailings",
  engine: "duckdb",
  places: ["/data/sailings/*/*.parquet"],
  problem: "",
  schedule: { every: "day", hour: 4, by: "Mona" },
  runs: [RUN],
};
const known = (lakes: unknown[]) =>
  [
    [keys.session, SESSION],
    [keys.lakes, { folder: "/data/lakes", lakes }],
  ] as [readonly unknown[], unknown][];

afterEach(cleanup);

describe("lakes that the application counts", () => {
  it("says what the last run read and changed, and of which experiments nothing came in when asked", () => {
    const { container } = show(<Lakes />, { known: known([LAKE]) });
    expect(container.textContent).toContain("/data/sailings/*/*.parquet · DuckDB");
    expect(container.textContent).toContain("10 Mar, 04:00, by the schedule: 81,289 rows · 9 s");
    expect(container.textContent).toContain("sea-view: 12 days with 24,000 units counted, 3 changed");
    expect(container.textContent).toContain("from, UTC");
    expect(screen.queryByText("from-files")).toBeNull();
    fireEvent.click(screen.getByText("1 experiment of which nothing came in"));
    expect(screen.getByText("from-files")).toBeTruthy();
  });

  it("counts now, and shows how far it is; another cannot begin meanwhile", async () => {
    const running = { ...RUN, id: 8, planned: false, state: "running", ended_at: null, doing: "sea-view: counting" };
    const calls = serve({
      "POST /lakes/sailings/runs": [{ status: 202, body: running }],
      "GET /lakes": [
        { body: { folder: "", lakes: [{ ...LAKE, runs: [running, RUN] }] } },
        { body: { folder: "", lakes: [LAKE] } },
      ],
    });
    show(<Lakes />, { known: known([LAKE]) });
    fireEvent.click(screen.getByText("Count now"));
    expect((await screen.findByRole("status")).textContent).toContain("by Mona: 81,289 rows · sea-view: counting");
    expect(screen.getByText("Counting…")).toHaveProperty("disabled", true);
    await waitFor(() => expect(screen.getByText("Count now")).toHaveProperty("disabled", false));
    expect(calls.map((call) => `${call.method} ${call.path}`)[0]).toBe("POST /lakes/sailings/runs");
  });

  it("keeps when it is counted", async () => {
    const calls = serve({
      "PUT /lakes/sailings/schedule": [{ body: LAKE }, { body: LAKE }],
      "GET /lakes": [{ body: { folder: "", lakes: [LAKE] } }, { body: { folder: "", lakes: [LAKE] } }],
    });
    show(<Lakes />, { known: known([LAKE]) });
    fireEvent.change(screen.getByLabelText("From when on sailings is counted each day"), { target: { value: "6" } });
    await waitFor(() => expect(calls[0]?.body).toEqual({ every: "day", hour: 6 }));
    fireEvent.change(screen.getByLabelText("How often sailings is counted"), { target: { value: "hour" } });
    await waitFor(() =>
      expect(calls.some((call) => JSON.stringify(call.body) === '{"every":"hour","hour":4}')).toBe(true),
    );
  });

  it("says what is wrong with a file, and how to bring in a lake where there is none", () => {
    show(<Lakes />, { known: known([{ ...LAKE, problem: "events.at (missing) must name the column", runs: [] }]) });
    expect(screen.getByRole("alert").textContent).toContain("events.at (missing) must name the column");
    expect(screen.getByText("Count now")).toHaveProperty("disabled", true);
    cleanup();
    const { container } = show(<Lakes />, { known: known([]) });
    expect(container.textContent).toContain("None yet.");
    expect(container.textContent).toContain("/data/lakes/name.toml");
  });
});
