import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import { keys } from "../api/keys";
import { SESSION, serve, show } from "../test/kit";
import { Retention } from "./Retention";

const KEPT = {
  days_of_events: 90,
  days_of_ids: null,
  by: "Mona",
  database: 52_428_800,
  free: 3_355_443,
  events: 120_000,
  put_away: 1_200_000,
  put_away_bytes: 18_874_368,
  put_away_days: ["2026-01-01", "2026-02-10"],
  held_back_by: "Fare calendar",
  tended_at: "2026-03-10T03:00:00Z",
};
const known = (kept: unknown) =>
  [
    [keys.session, SESSION],
    [keys.retention, kept],
  ] as [readonly unknown[], unknown][];

afterEach(cleanup);

describe("what is kept", () => {
  it("says how much there is, and who keeps more than was asked for", () => {
    const { container } = show(<Retention />, { known: known(KEPT) });
    expect(container.textContent).toContain("120,000 events in a database of 50 MB, 3.2 MB of it free.");
    expect(container.textContent).toContain("1,200,000 put away in 18 MB, of Thu 1 Jan to Tue 10 Feb");
    expect(container.textContent).toContain("Fare calendar keeps more events than that while it is open.");
    expect(container.textContent).toContain("Last seen to 10 Mar, 03:00.");
  });

  it("says that nothing is put away, and takes an empty field for as long as there is room", async () => {
    const calls = serve({ "PUT /retention": [{ body: { ...KEPT, days_of_events: null } }] });
    const { container } = show(<Retention />, { known: known({ ...KEPT, put_away_days: [], tended_at: null }) });
    expect(container.textContent).toContain("None are put away.");
    fireEvent.change(screen.getByLabelText("Events stay in the database, days"), { target: { value: "" } });
    fireEvent.click(screen.getByText("Keep so long"));
    await waitFor(() => expect(calls[0]?.body).toEqual({ days_of_events: null, days_of_ids: null }));
  });

  it("shows what is not accepted, and keeps what was typed", async () => {
    const message = "days_of_ids (60) must be at least 90, as long as events";
    serve({
      "PUT /retention": [{ status: 422, body: { title: "Not accepted", errors: [{ field: "days_of_ids", message }] } }],
    });
    show(<Retention />, { known: known(KEPT) });
    fireEvent.change(screen.getByLabelText("Anything by the ids of units is kept, days"), { target: { value: "60" } });
    fireEvent.click(screen.getByText("Keep so long"));
    expect((await screen.findByRole("alert")).textContent).toContain("must be at least 90");
    expect(screen.getByLabelText("Anything by the ids of units is kept, days")).toHaveProperty("value", "60");
  });
});
