import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import { keys } from "../../api/keys";
import { experiment, serve, SESSION, show } from "../../test/kit";
import { EditingProvider } from "../editing";
import { readIds, WhoCounts } from "./WhoCounts";

afterEach(cleanup);
const PATH = "/experiments/fare-calendar";
const NOBODY = { units: [], groups: [], more_than: null };

function open(changes: Partial<Parameters<typeof experiment>[0]> = {}, workspace = NOBODY) {
  const known = experiment({ data_from: "events", ...changes });
  show(
    <EditingProvider experiment={known}>
      <WhoCounts />
    </EditingProvider>,
    {
      known: [
        [keys.session, SESSION],
        [keys.experiment(known.key), known],
        [keys.neverCounted, workspace],
      ],
    },
  );
}

describe("who counts", () => {
  it("reads ids one a line or with commas between, each once", () => {
    expect(readIds(" a, b\n\nc,a\n")).toEqual(["a", "b", "c"]);
  });

  it("is drafted and saved as a whole: ids and rules", async () => {
    const calls = serve({ [`PATCH ${PATH}`]: [{ body: experiment({ data_from: "events", version: 4 }) }] });
    open();
    fireEvent.change(screen.getByLabelText(/^Never counted/), { target: { value: "monitor-1\nmonitor-2" } });
    fireEvent.click(screen.getByText("Add a rule on a property"));
    fireEvent.change(screen.getByLabelText("Rule 1, condition 1: property"), { target: { value: "staff" } });
    fireEvent.change(screen.getByLabelText("Rule 1, condition 1: value"), { target: { value: "yes" } });
    expect(calls).toHaveLength(0);
    fireEvent.click(screen.getByText("Save who is never counted"));
    await waitFor(() => expect(calls).toHaveLength(1));
    expect(calls[0]?.body).toMatchObject({
      changes: {
        never_counted: {
          units: ["monitor-1", "monitor-2"],
          groups: [
            { kind: "all", conditions: [{ attribute: "staff", operator: "is", values: ["yes"], kind: "text" }] },
          ],
        },
      },
    });
  });

  it("takes a number of events from which on an id is a robot, and refuses what is none", async () => {
    const calls = serve({ [`PATCH ${PATH}`]: [{ body: experiment({ data_from: "events", version: 4 }) }] });
    open();
    const field = screen.getByLabelText(/^And ids with more than so many events/);
    fireEvent.change(field, { target: { value: "many" } });
    fireEvent.blur(field);
    expect(screen.getByText(/\(many\) must be a number/)).toBeTruthy();
    fireEvent.change(field, { target: { value: "2000" } });
    fireEvent.blur(field);
    fireEvent.click(screen.getByText("Save who is never counted"));
    await waitFor(() => expect(calls).toHaveLength(1));
    expect(calls[0]?.body).toMatchObject({ changes: { never_counted: { units: [], groups: [], more_than: 2000 } } });
  });

  it("says what follows from the rule, and is locked after the start unless there is a reason", () => {
    open({ identity: "person", rule_locked_at: "2026-03-02T08:00:00Z", state: "running" });
    expect(screen.getByText(/in the variant that any of the ids saw first/)).toBeTruthy();
    expect(screen.getByLabelText("Who is a unit")).toHaveProperty("disabled", true);
    expect(screen.getByLabelText(/^Never counted/)).toHaveProperty("readOnly", true);
    expect(screen.getByText("Change for a reason…")).toBeTruthy();
  });

  it("says that all days are counted again while they are", async () => {
    const later = experiment({ data_from: "events", version: 4, rule_locked_at: "2026-03-02T08:00:00Z" });
    let answer = () => {};
    const after = new Promise<void>((resolve) => (answer = resolve));
    serve({ [`PATCH ${PATH}`]: [{ body: { ...later, identity: "person" }, after }] });
    open({ rule_locked_at: "2026-03-02T08:00:00Z", state: "running" });
    fireEvent.click(screen.getByText("Change for a reason…"));
    fireEvent.change(screen.getByLabelText(/All days will be counted again/), { target: { value: "they sign in" } });
    fireEvent.click(screen.getByText("Open for change"));
    expect(screen.getByText(/Who counts can be changed now/)).toBeTruthy();
    fireEvent.change(screen.getByLabelText("Who is a unit"), { target: { value: "person" } });
    await screen.findByText("Counting all days again…");
    expect(screen.getByLabelText("Who is a unit")).toHaveProperty("disabled", true);
    answer();
    await waitFor(() => expect(screen.queryByText("Counting all days again…")).toBeNull());
  });

  it("takes the workspace's list, or becomes it", async () => {
    const own = { units: ["me"], groups: [], more_than: null };
    const calls = serve({
      "PUT /never-counted": [{ body: own }],
      [`PATCH ${PATH}`]: [{ body: experiment({ version: 4 }) }],
    });
    open({ never_counted: own }, NOBODY);
    fireEvent.click(screen.getByText("Take the workspace's list"));
    await waitFor(() => expect(calls).toHaveLength(1));
    expect(calls[0]?.body).toMatchObject({ changes: { never_counted: NOBODY } });
    fireEvent.click(await screen.findByText("Make this the workspace's list"));
    await waitFor(() => expect(calls).toHaveLength(2));
    expect(calls[1]?.body).toEqual(own);
  });
});
