import { cleanup, fireEvent, screen, waitFor, within } from "@testing-library/react";
import { useLocation } from "react-router";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { Docket, DocketRow, DocketView } from "../api/client";
import { keys } from "../api/keys";
import { docketRow, PREFERENCES, serve, SESSION, show } from "../test/kit";
import { HandOver } from "../parts/Steps";
import { DocketPage } from "./DocketPage";
import { filterOf, narrows, SORTS } from "./filter";

afterEach(cleanup);

function docket(rows: DocketRow[], changes: Partial<Docket> = {}): Docket {
  return {
    headline: "One experiment is waiting for a decision",
    rows,
    count: rows.length,
    left_out: 0,
    choices: {
      areas: ["Booking"],
      owners: [{ username: "ines", display_name: "Ines Brook" }],
      metrics: [{ key: "bookings", name: "bookings" }],
      verdicts: ["winner"],
      states: ["running"],
    },
    behind: 0,
    looked_at: "2026-03-20T09:00:00Z",
    as_of: "2026-03-30T09:00:00Z",
    changed: 0,
    ...changes,
  };
}

function Address() {
  return <output aria-label="address">{useLocation().search}</output>;
}

function open(first: Docket, address = "/", views: DocketView[] = []) {
  const asked = filterOf(new URL(`https://x.example${address}`).searchParams);
  show(
    <>
      <DocketPage />
      <Address />
    </>,
    {
      address,
      known: [
        [keys.session, { ...SESSION, preferences: { ...PREFERENCES, views } }],
        [keys.docket(asked), { pages: [first], pageParams: [0] }],
        [keys.owners, [{ username: "ines", display_name: "Ines Brook" }]],
      ],
    },
  );
}

const two = () => [docketRow(), docketRow({ key: "second", name: "Second" })];
const address = () => screen.getByLabelText("address").textContent;

describe("the docket", () => {
  it.each([
    [1, /One row waits to be read again, and shows what was there a few minutes ago\./],
    [3, /3 rows wait to be read again, and show what was there a few minutes ago\./],
  ])("says that %i of the rows wait for the scheduler", (behind, words) => {
    open(docket([docketRow()], { behind }));
    expect(screen.getByText(words)).toBeTruthy();
  });

  it("groups in the order of need and hides empty groups; in another order all are one list", () => {
    const rows = [docketRow(), docketRow({ key: "draft", group: "preparation", verdict: null, lift: null })];
    open(docket(rows));
    const headings = () => screen.getAllByRole("heading", { level: 2 }).map((heading) => heading.textContent);
    expect(headings()).toEqual(["Ready for your call", "In preparation"]);
    cleanup();
    open(docket(rows), "/?sort=name");
    expect(headings()).toEqual([SORTS.name]);
  });

  it("moves along the rows with the arrow keys", () => {
    open(docket(two()));
    fireEvent.keyDown(window, { key: "ArrowDown" });
    fireEvent.keyDown(window, { key: "ArrowDown" });
    expect(document.activeElement?.textContent).toContain("Second");
    fireEvent.keyDown(window, { key: "ArrowUp" });
    expect(document.activeElement?.textContent).toContain("Fare calendar");
  });

  it.each([
    ["/", /press New experiment/],
    ["/?area=Booking", /Clear one of them/],
    ["/?archive=yes", /Archived experiments are kept here/],
    ["/?changed=yes", /Nobody else has changed an experiment that fits/],
  ])("says what to do when there is nothing at %s", (at, words) => {
    open(docket([]), at);
    expect(screen.getByText(words)).toBeTruthy();
  });

  it("asks again when a filter is set, which the address keeps, and says a failure with a way to try again", async () => {
    const calls = serve({
      "GET /docket": [{ status: 500, body: { title: "The database is busy", status: 500 } }, { body: docket([]) }],
    });
    open(docket([docketRow()]));
    fireEvent.click(screen.getByRole("button", { name: "Filters" }));
    fireEvent.change(screen.getByLabelText("Owner"), { target: { value: "ines" } });
    expect(address()).toBe("?owner=ines");
    await screen.findByText("The database is busy");
    expect(screen.getByRole("link", { name: "Show the docket without filters" }).getAttribute("href")).toBe("/");
    fireEvent.click(screen.getByText("Try again"));
    await screen.findByText("No match");
    expect(calls).toHaveLength(2);
  });

  it("brings the next page when the end of the one before comes into sight", async () => {
    const calls = serve({
      "GET /docket": [{ body: docket([docketRow({ key: "third", name: "Third" })], { count: 3 }) }],
    });
    open(docket(two(), { count: 3 }));
    expect(await screen.findByText("Third")).toBeTruthy();
    expect(calls.map((call) => call.query)).toEqual(["offset=2&limit=200"]);
  });

  it("says how many were decided longer ago and leads to them", () => {
    open(docket([docketRow()], { left_out: 290 }));
    expect(screen.getByText(/290 were decided longer ago/)).toBeTruthy();
    expect(screen.getByRole("link", { name: "show all that are decided" }).getAttribute("href")).toBe(
      "/?state=decided",
    );
  });
});

describe("filters", () => {
  const ADDRESS =
    "search=a&area=b&owner=c&metric=d&state=draft&verdict=winner&since=2026-03-01&mine=yes&archive=yes&changed=yes&sort=-lift";

  it("are what the address says, each", () => {
    expect(filterOf(new URLSearchParams(ADDRESS))).toEqual({
      search: "a",
      area: "b",
      owner: "c",
      metric: "d",
      state: ["draft"],
      verdict: ["winner"],
      changed_since: "2026-03-01",
      mine: true,
      archived: true,
      changed: true,
      sort: "-lift",
    });
  });

  it.each(["", "sort=urgency", "sort=price", "mine=", "mine=no"])("are none for “%s”", (text) => {
    expect(filterOf(new URLSearchParams(text))).toEqual({});
  });

  it.each([
    ["owner=ines", true],
    ["mine=yes", true],
    ["archive=yes", false],
    ["sort=name", false],
  ])("of %s narrow: %s", (text, so) => {
    expect(narrows(filterOf(new URLSearchParams(text)))).toBe(so);
  });

  it("have a day that is set when it is left, not with each key, and never one out of range", () => {
    open(docket([]), "/?search=fare");
    fireEvent.click(screen.getByRole("button", { name: "Filters" }));
    const day = screen.getByLabelText("Changed since");
    fireEvent.change(day, { target: { value: "0002-03-01" } });
    expect(address()).toBe("?search=fare");
    fireEvent.blur(day);
    expect(address()).toBe("?search=fare");
    fireEvent.change(day, { target: { value: "2026-03-01" } });
    fireEvent.blur(day);
    expect(address()).toBe("?search=fare&since=2026-03-01");
  });

  it("stand in the open where one is set, and are cleared together, with what is searched for left", () => {
    open(docket([]), "/?search=fare&owner=ines&area=Booking");
    expect(screen.getByRole("button", { name: "Filters: 2" }).getAttribute("aria-expanded")).toBe("true");
    fireEvent.click(screen.getByRole("button", { name: "Filters: 2" }));
    expect(screen.getByRole("button", { name: "Filters: 2" }).getAttribute("aria-expanded")).toBe("false");
    fireEvent.click(screen.getByRole("button", { name: "Filters: 2" }));
    fireEvent.click(screen.getByText("Clear filters"));
    expect(address()).toBe("?search=fare");
  });
});

describe("views of the docket", () => {
  const WINNERS = { name: "Winners", filters: "verdict=winner" };

  it("are filters and order under a name, opened by it", () => {
    open(docket(two()), "/", [WINNERS]);
    fireEvent.click(screen.getByRole("button", { name: "Views" }));
    fireEvent.click(screen.getByRole("button", { name: "Winners" }));
    expect(address()).toBe("?verdict=winner");
  });

  it("are stored as the address is, next to those there are, one of each name", async () => {
    const calls = serve({ "PATCH /me/preferences": [{ body: { ...PREFERENCES, views: [] } }] });
    open(docket(two()), "/?owner=ines", [WINNERS, { name: "Ines", filters: "search=old" }]);
    fireEvent.click(screen.getByRole("button", { name: "Views" }));
    fireEvent.change(screen.getByLabelText("Store what is shown now as"), { target: { value: " Ines " } });
    expect(screen.getByText(/it will be replaced/)).toBeTruthy();
    fireEvent.click(screen.getByRole("button", { name: "Store" }));
    await waitFor(() => expect(calls).toHaveLength(1));
    expect(calls[0]?.body).toEqual({ views: [WINNERS, { name: "Ines", filters: "owner=ines" }] });
  });

  it("cannot be stored where nothing is chosen", () => {
    open(docket(two()));
    fireEvent.click(screen.getByRole("button", { name: "Views" }));
    expect(screen.getByText(/choose a filter or an order first/)).toBeTruthy();
    expect(screen.getByRole("button", { name: "Store" })).toHaveProperty("disabled", true);
  });
});

describe("several at once", () => {
  const select = (...names: string[]) => {
    fireEvent.click(screen.getByRole("button", { name: "Select" }));
    for (const name of names) fireEvent.click(screen.getByLabelText(`Select ${name}`));
  };

  it("are archived one after another; what was refused is said by name and stays", async () => {
    const calls = serve({
      "POST /experiments/fare-calendar/move/archive": [
        { status: 409, body: { title: "This one is running", status: 409 } },
      ],
      "POST /experiments/second/move/archive": [{ body: {} }],
      "GET /docket": [{ body: docket(two()) }],
      "GET /session": [{ body: SESSION }],
      "GET /owners": [{ body: [] }],
    });
    open(docket(two()));
    select("Fare calendar", "Second");
    fireEvent.click(screen.getByRole("button", { name: "Archive…" }));
    fireEvent.click(within(screen.getByRole("dialog")).getByRole("button", { name: "Archive" }));
    const said = await screen.findByRole("alert");
    expect(said.textContent).toContain("1 experiment of 2 done");
    expect(said.textContent).toContain("Fare calendar: This one is running");
    expect(calls.filter((call) => call.path.includes("/move/"))).toHaveLength(2);
  });

  it("that were archived are restored by Undo: those that were not refused", async () => {
    const calls = serve({
      "POST /experiments/fare-calendar/move/archive": [{ status: 409, body: { title: "This one is running" } }],
      "POST /experiments/second/move/archive": [{ body: {} }],
      "POST /experiments/second/move/restore": [{ body: {} }],
      "GET /docket": [{ body: docket([]) }, { body: docket(two()) }],
      "GET /session": [{ body: SESSION }, { body: SESSION }],
      "GET /owners": [{ body: [] }, { body: [] }],
    });
    const moves = () => calls.filter((call) => call.path.includes("/move/")).map((call) => call.path);
    open(docket(two()));
    select("Fare calendar", "Second");
    fireEvent.click(screen.getByRole("button", { name: "Archive…" }));
    fireEvent.click(within(screen.getByRole("dialog")).getByRole("button", { name: "Archive" }));
    await screen.findByRole("alert");
    fireEvent.click(within(screen.getByRole("dialog")).getByRole("button", { name: "Close" }));
    expect(screen.getByText(/1 experiment archived/)).toBeTruthy();
    fireEvent.click(screen.getByRole("button", { name: "Undo" }));
    fireEvent.click(within(screen.getByRole("dialog")).getByRole("button", { name: "Restore" }));
    await waitFor(() => expect(screen.queryByRole("dialog")).toBeNull());
    expect(moves().at(-1)).toBe("/experiments/second/move/restore");
    expect(moves()).toHaveLength(3);
    expect(screen.queryByRole("button", { name: "Undo" })).toBeNull();
  });

  it("of the archive are restored", async () => {
    const calls = serve({
      "POST /experiments/second/move/restore": [{ body: {} }],
      "GET /docket": [{ body: docket([]) }],
      "GET /session": [{ body: SESSION }],
      "GET /owners": [{ body: [] }],
    });
    open(docket(two().map((row) => ({ ...row, state: "archived" as const, group: "archived" as const }))));
    select("Second");
    expect(screen.queryByRole("button", { name: "Archive…" })).toBeNull();
    fireEvent.click(screen.getByRole("button", { name: "Restore…" }));
    fireEvent.click(within(screen.getByRole("dialog")).getByRole("button", { name: "Restore" }));
    await waitFor(() => expect(screen.queryByRole("dialog")).toBeNull());
    expect(calls.some((call) => call.path === "/experiments/second/move/restore")).toBe(true);
  });

  it("are handed over to a person who is chosen first", async () => {
    const calls = serve({
      "POST /experiments/second/hand-over": [{ body: {} }],
      "GET /docket": [{ body: docket(two()) }],
      "GET /session": [{ body: SESSION }],
      "GET /owners": [{ body: [] }],
    });
    open(docket(two()));
    select("Second");
    fireEvent.click(screen.getByRole("button", { name: "Hand over…" }));
    const dialog = within(screen.getByRole("dialog"));
    expect(dialog.getByRole("button", { name: "Hand over" })).toHaveProperty("disabled", true);
    fireEvent.change(dialog.getByLabelText("To whom"), { target: { value: "ines" } });
    fireEvent.click(dialog.getByRole("button", { name: "Hand over" }));
    await waitFor(() => expect(screen.queryByRole("dialog")).toBeNull());
    expect(calls.find((call) => call.path.includes("hand-over"))?.body).toEqual({ owner: "ines" });
    expect(screen.getByText("0 experiments selected")).toBeTruthy();
  });

  it("is one from its own page, too, by its name", async () => {
    const calls = serve({
      "POST /experiments/second/hand-over": [{ body: {} }],
      "GET /owners": [{ body: [{ username: "ines", display_name: "Ines Brook" }] }],
      "GET /session": [{ body: SESSION }],
    });
    const close = vi.fn();
    show(<HandOver rows={[docketRow({ key: "second", name: "Second" })]} close={close} />);
    await screen.findByText("Ines Brook");
    expect(screen.getByRole("heading", { name: "Hand over “Second”?" })).toBeTruthy();
    fireEvent.change(screen.getByLabelText("To whom"), { target: { value: "ines" } });
    fireEvent.click(screen.getByRole("button", { name: "Hand over" }));
    await waitFor(() => expect(close).toHaveBeenCalledOnce());
    expect(calls.some((call) => call.path.includes("second/hand-over"))).toBe(true);
  });

  it("are all that are shown, or none", () => {
    open(docket(two()));
    select("Second");
    expect(screen.getByText("1 experiment selected")).toBeTruthy();
    fireEvent.click(screen.getByLabelText("Select Second"));
    expect(screen.getByText("0 experiments selected")).toBeTruthy();
    expect(screen.getByRole("button", { name: "Archive…" })).toHaveProperty("disabled", true);
    fireEvent.click(screen.getByRole("button", { name: "Select all shown" }));
    expect(screen.getByText("2 experiments selected")).toBeTruthy();
    fireEvent.click(screen.getByRole("button", { name: "Select none" }));
    expect(screen.getByText("0 experiments selected")).toBeTruthy();
  });
});

describe("what others did", () => {
  it("stands at the row, the latest with how much more there was, and is seen as of when it was read", async () => {
    const calls = serve({
      "POST /me/docket-looked": [{ status: 204, body: null }],
      "GET /docket": [{ body: docket(two()) }, { body: docket(two()) }],
    });
    open(docket([docketRow({ news: 2, latest_news: "Ines Brook: Changed area" })], { changed: 1 }));
    expect(screen.getByText(/2 changes, the last by Ines Brook: Changed area/)).toBeTruthy();
    expect(screen.getByText(/Others have changed 1 experiment since 20 Mar/)).toBeTruthy();
    fireEvent.click(screen.getByRole("button", { name: "Show only those" }));
    expect(address()).toBe("?changed=yes");
    fireEvent.click(screen.getByRole("button", { name: "Mark as seen" }));
    await waitFor(() => expect(calls.some((call) => call.path.endsWith("docket-looked"))).toBe(true));
    expect(calls.find((call) => call.path.endsWith("docket-looked"))?.body).toEqual({ at: "2026-03-30T09:00:00Z" });
    await waitFor(() => expect(address()).toBe(""));
    await waitFor(() => expect(screen.queryByText(/Others have changed/)).toBeNull());
    expect(screen.queryByRole("alert")).toBeNull();
  });
});
