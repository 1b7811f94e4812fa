import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import { keys } from "../api/keys";
import { SESSION, serve, show } from "../test/kit";
import { Forget } from "./Forget";

const KNOWN = { ids: ["acc-1", "web-7"], events: 5, made_again: ["Fare calendar"], decided: ["Old"], named_in: [] };
const LINE = { id: 3, at: "2026-03-10T12:00:00Z", by: "Mona", ids: ["acc-1", "web-7"], events: 5, experiments: 1 };
const WAITS = { ...LINE, erased_there_at: null };
const KNOWN_ALREADY = [
  [keys.session, SESSION],
  [keys.forgotten, []],
] as [readonly unknown[], unknown][];

afterEach(cleanup);

describe("forgetting a person", () => {
  it("says what is there before anything is erased, and lists who is to be erased elsewhere", async () => {
    const calls = serve({
      "POST /forget/preview": [{ body: KNOWN }],
      "POST /forget": [{ status: 201, body: WAITS }],
      "GET /forgotten": [{ body: [WAITS] }, { body: [{ ...WAITS, ids: [], erased_there_at: "2026-03-11T09:00:00Z" }] }],
      "POST /forgotten/3/erased": [{ body: { ...WAITS, ids: [] } }],
    });
    show(<Forget />, { known: KNOWN_ALREADY });
    fireEvent.change(screen.getByLabelText("One of their ids"), { target: { value: "web-7" } });
    fireEvent.click(screen.getByText("What is there?"));
    const said = await screen.findByRole("status");
    expect(said.textContent).toContain("5 events of acc-1, web-7. Counted again without them: Fare calendar.");
    expect(said.textContent).toContain("Sums of what is over stay: Old.");
    expect(calls.map((call) => call.path)).toEqual(["/forget/preview"]);
    fireEvent.click(screen.getByText("Forget, for good"));
    expect((await screen.findByText("the list of their ids")).getAttribute("href")).toBe("/api/v1/forgotten.csv");
    expect(screen.getByText("10 Mar, 12:00 by Mona: 5 events, out of 1 open experiment")).toBeTruthy();
    fireEvent.click(screen.getByText("Erased there too"));
    await screen.findByText(/erased elsewhere 11 Mar, 09:00/);
    expect(screen.queryByText("the list of their ids")).toBeNull();
  });

  it("forgets nobody whom a plan names, and keeps what was typed", async () => {
    serve({ "POST /forget/preview": [{ body: { ...KNOWN, named_in: ["Fare calendar"] } }] });
    show(<Forget />, { known: KNOWN_ALREADY });
    fireEvent.change(screen.getByLabelText("One of their ids"), { target: { value: "web-7" } });
    fireEvent.click(screen.getByText("What is there?"));
    await waitFor(() => expect(screen.getByText("Forget, for good")).toHaveProperty("disabled", true));
    expect(screen.getByText(/Take the id out of the plan first/)).toBeTruthy();
    expect(screen.getByLabelText("One of their ids")).toHaveProperty("value", "web-7");
  });

  it("is not offered to who only reads", () => {
    const reader = { ...SESSION, account: { ...SESSION.account, may_edit: false } };
    const { container } = show(<Forget />, { known: [[keys.session, reader]] });
    expect(container.textContent).toBe("");
  });
});
