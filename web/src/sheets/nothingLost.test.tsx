import { act, cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { client, take } from "../api/client";
import { keys } from "../api/keys";
import { recognise } from "../api/signedOut";
import { DraftPlace } from "../lib/drafts";
import { patience } from "../lib/patience";
import { TextField } from "../parts/fields";
import { SignInAgain } from "../parts/SignInAgain";
import { experiment, serve, SESSION, show } from "../test/kit";
import { server } from "../test/setup";
import { EditingProvider, useEditing } from "./editing";
import { Notices } from "./Notices";

const PATH = "/experiments/fare-calendar";
const BEFORE = experiment({ area: "Booking", because: "" });

function Fields() {
  const { experiment: seen, save, undo, redo, canUndo, canRedo } = useEditing();
  return (
    <>
      <Notices />
      <TextField label="Area" value={seen.area} save={(area) => save({ area })} />
      <TextField label="Because" value={seen.because} save={(because) => save({ because })} />
      <button onClick={undo} disabled={!canUndo}>
        back
      </button>
      <button onClick={redo} disabled={!canRedo}>
        forth
      </button>
    </>
  );
}

const open = (present = BEFORE) =>
  show(
    <EditingProvider experiment={present}>
      <Fields />
    </EditingProvider>,
    {
      known: [
        [keys.session, SESSION],
        [keys.experiment(present.key), present],
      ],
    },
  );
const area = () => screen.getByLabelText<HTMLInputElement>("Area");
const because = () => screen.getByLabelText<HTMLInputElement>("Because");
const type = (field: HTMLElement, value: string) => {
  fireEvent.change(field, { target: { value } });
  fireEvent.blur(field);
};
const sent = (calls: ReturnType<typeof serve>) =>
  calls.filter((call) => call.method === "PATCH").map((call) => call.body);
const leaving = () => {
  const event = new Event("beforeunload", { cancelable: true });
  window.dispatchEvent(event);
  return event.defaultPrevented;
};

/** Lets what is due now happen, and no time pass. */
const settled = () => act(() => vi.advanceTimersByTimeAsync(0));

afterEach(async () => {
  vi.useRealTimers();
  cleanup();
  recognise("");
  // What still waits is refused, so that it does not go on in the next test.
  server.answer = () => Promise.resolve(new Response("{}", { status: 410 }));
  patience.tryNow();
  await waitFor(() => expect(patience.get()).toBe(0));
});

describe("a server that does not answer", () => {
  const failures = [
    ["is away", () => Promise.reject(new TypeError("Failed to fetch"))],
    ["has a proxy that answers", () => Promise.resolve(new Response("<html>Bad gateway</html>", { status: 502 }))],
    ["is busy", () => Promise.resolve(new Response("{}", { status: 503 }))],
    ["takes too long", () => Promise.reject(new DOMException("timed out", "TimeoutError"))],
  ] as const;

  it.each(failures)(
    "that %s is asked again, and what was typed stays in the field until it has it",
    async (_, fail) => {
      vi.useFakeTimers({ toFake: ["setTimeout", "clearTimeout"] });
      const saved = experiment({ area: "Home", version: 4 });
      const calls = serve({ [`PATCH ${PATH}`]: [{ body: saved }] });
      const answering = server.answer;
      server.answer = fail;
      open();
      type(area(), "Home");
      await settled();
      expect(screen.getByText(/1 change not saved yet/)).toBeTruthy();
      expect(area().value).toBe("Home");
      expect(leaving()).toBe(true);
      server.answer = answering;
      await act(() => vi.advanceTimersByTimeAsync(999));
      expect(sent(calls)).toHaveLength(0);
      await act(() => vi.advanceTimersByTimeAsync(1));
      await settled();
      expect(sent(calls)).toHaveLength(1);
      await settled();
      expect(screen.queryByText(/not saved yet/)).toBeNull();
    },
  );

  it.each([
    ["the network is back", () => fireEvent(window, new Event("online"))],
    ["somebody says so", () => fireEvent.click(screen.getByRole("button", { name: "Try now" }))],
  ])("is asked at once when %s", async (_, go) => {
    vi.useFakeTimers({ toFake: ["setTimeout", "clearTimeout"] });
    let tries = 0;
    server.answer = () => {
      tries += 1;
      return Promise.reject(new TypeError("Failed to fetch"));
    };
    open();
    type(area(), "Home");
    await settled();
    expect(tries).toBe(1);
    go();
    await settled();
    expect(tries).toBe(2);
  });

  it("gets two changes in the order in which they were made", async () => {
    const calls = serve({
      [`PATCH ${PATH}`]: [
        { status: 503, body: {} },
        { body: experiment({ area: "Home", version: 4 }) },
        { body: experiment({ area: "Home", because: "why not", version: 5 }) },
      ],
    });
    open();
    type(area(), "Home");
    type(because(), "why not");
    fireEvent.click(await screen.findByRole("button", { name: "Try now" }));
    await waitFor(() => expect(sent(calls)).toHaveLength(3));
    expect(sent(calls).map((body) => (body as { changes: object }).changes)).toEqual([
      { area: "Home" },
      { area: "Home" },
      { because: "why not" },
    ]);
  });
});

describe("a page that is left before all is saved", () => {
  it("has it again, says what is stored, and saves or drops it", async () => {
    open();
    fireEvent.change(area(), { target: { value: "Home" } });
    cleanup();
    const calls = serve({ [`PATCH ${PATH}`]: [{ body: experiment({ area: "Home", version: 4 }) }] });
    open();
    expect(area().value).toBe("Home");
    expect(screen.getByText(/not saved yet; what is stored: Booking/)).toBeTruthy();
    fireEvent.click(screen.getByRole("button", { name: "Save" }));
    await waitFor(() => expect(sent(calls)).toHaveLength(1));
    cleanup();
    open(experiment({ area: "Home", version: 4 }));
    expect(screen.queryByText(/not saved yet/)).toBeNull();
  });

  it("has it even where somebody else has changed the field meanwhile", () => {
    open();
    fireEvent.change(area(), { target: { value: "Home" } });
    cleanup();
    open(experiment({ area: "Cabins" }));
    expect(area().value).toBe("Home");
    fireEvent.click(screen.getByRole("button", { name: "Drop" }));
    expect(area().value).toBe("Cabins");
    cleanup();
    open(experiment({ area: "Cabins" }));
    expect(area().value).toBe("Cabins");
  });

  it("shows what is stored where the field is locked by now, and what was typed next to it", () => {
    open();
    fireEvent.change(area(), { target: { value: "Home" } });
    cleanup();
    show(
      <DraftPlace value="mona/fare-calendar">
        <TextField label="Area" value="Cabins" save={() => undefined} locked />
      </DraftPlace>,
    );
    expect(area().value).toBe("Cabins");
    expect(screen.getByText(/“Home” was typed before/)).toBeTruthy();
    expect(screen.queryByRole("button", { name: "Save" })).toBeNull();
    fireEvent.click(screen.getByRole("button", { name: "Drop" }));
    expect(screen.queryByText(/was typed before/)).toBeNull();
  });

  it("does not come with it after a month", () => {
    open();
    fireEvent.change(area(), { target: { value: "Home" } });
    cleanup();
    vi.useFakeTimers({ toFake: ["Date"], now: Date.now() + 31 * 86_400_000 });
    open();
    expect(area().value).toBe("Booking");
  });

  it("asks before it is left only while something is not saved", () => {
    open();
    expect(leaving()).toBe(false);
    fireEvent.change(area(), { target: { value: "Home" } });
    expect(leaving()).toBe(true);
    fireEvent.keyDown(area(), { key: "Escape" });
    expect(leaving()).toBe(false);
  });
});

describe("a refusal", () => {
  it("stands until a change that was made after it goes well", async () => {
    serve({
      [`PATCH ${PATH}`]: [
        { status: 422, body: { title: "area is too long" } },
        { body: experiment({ because: "why not", version: 4 }) },
        { body: experiment({ because: "because", version: 5 }) },
      ],
    });
    open();
    type(area(), "Home");
    type(because(), "why not"); // made before the refusal came, and says nothing about it
    await screen.findByText("area is too long");
    await waitFor(() => expect(screen.getByText("back")).toHaveProperty("disabled", false));
    expect(screen.getByText("area is too long")).toBeTruthy();
    type(because(), "because");
    await waitFor(() => expect(screen.queryByText("area is too long")).toBeNull());
  });
});

describe("two who edit at once", () => {
  const stale = { status: 409, body: { title: "Somebody changed it", current_version: 9 } };

  it("both have their change where the fields are others", async () => {
    const theirs = experiment({ area: "Booking", because: "theirs", version: 9 });
    const calls = serve({
      [`PATCH ${PATH}`]: [stale, { body: { ...theirs, area: "Home", version: 10 } }],
      [`GET ${PATH}`]: [{ body: theirs }],
    });
    open();
    type(area(), "Home");
    await waitFor(() => expect(sent(calls)).toHaveLength(2));
    expect(sent(calls)[1]).toEqual({ version: 9, changes: { area: "Home" }, reason: "", new_round: false });
    expect(screen.queryByRole("alert")).toBeNull();
  });

  it("an answer that was lost is no conflict", async () => {
    const calls = serve({
      [`PATCH ${PATH}`]: [stale],
      [`GET ${PATH}`]: [{ body: experiment({ area: "Home", version: 9 }) }],
    });
    open();
    type(area(), "Home");
    await waitFor(() => expect(calls).toHaveLength(2));
    await waitFor(() => expect(screen.getByText("back")).toHaveProperty("disabled", false));
    expect(screen.queryByRole("alert")).toBeNull();
  });

  it("of the same field, both are shown in the words of the screen, and one is chosen", async () => {
    const theirs = experiment({ area: "Booking", because: "theirs", version: 9 });
    const calls = serve({
      [`PATCH ${PATH}`]: [stale, { body: { ...theirs, because: "mine", version: 10 } }],
      [`GET ${PATH}`]: [{ body: theirs }],
    });
    open();
    type(because(), "mine");
    const row = await screen.findByRole("row", { name: "Because theirs mine" });
    expect(row).toBeTruthy();
    fireEvent.click(screen.getByRole("button", { name: "Use mine" }));
    await waitFor(() => expect(sent(calls)).toHaveLength(2));
    expect(sent(calls)[1]).toMatchObject({ version: 9, changes: { because: "mine" } });
  });
});

describe("steps back and forth", () => {
  it("can be taken after a reload, and a refused one is not lost", async () => {
    const home = experiment({ area: "Home", version: 4 });
    const booking = experiment({ area: "Booking", version: 5 });
    const calls = serve({
      [`PATCH ${PATH}`]: [
        { body: home },
        { status: 422, body: { title: "not now" } },
        { body: booking },
        { body: { ...home, version: 6 } },
      ],
    });
    open();
    type(area(), "Home");
    await waitFor(() => expect(screen.getByText("back")).toHaveProperty("disabled", false));
    cleanup();
    open(home);
    fireEvent.click(screen.getByText("back"));
    await screen.findByText("not now");
    fireEvent.click(screen.getByText("back"));
    await waitFor(() => expect(screen.getByText("forth")).toHaveProperty("disabled", false));
    expect(screen.getByText("back")).toHaveProperty("disabled", true);
    fireEvent.click(screen.getByText("forth"));
    await waitFor(() => expect(screen.getByText("back")).toHaveProperty("disabled", false));
    expect(sent(calls).map((body) => (body as { changes: { area: string } }).changes.area)).toEqual([
      "Home",
      "Booking",
      "Booking",
      "Home",
    ]);
  });
});

describe("a session that ends", () => {
  beforeEach(() => recognise("mona"));

  it("asks for the password where one is, and what waited goes on", async () => {
    const calls = serve({
      [`PATCH ${PATH}`]: [
        { status: 401, body: { title: "Sign in" } },
        { body: experiment({ area: "Home", version: 4 }) },
      ],
      "POST /session": [{ status: 422, body: { title: "Name or password is wrong" } }, { body: SESSION }],
    });
    show(
      <EditingProvider experiment={BEFORE}>
        <SignInAgain />
        <Fields />
      </EditingProvider>,
      {
        known: [
          [keys.session, SESSION],
          [keys.experiment(BEFORE.key), BEFORE],
        ],
      },
    );
    type(area(), "Home");
    const dialog = await screen.findByRole("dialog", { name: "Your session has ended" });
    const password = screen.getByLabelText("Password");
    fireEvent.change(password, { target: { value: "wrong" } });
    fireEvent.click(screen.getByRole("button", { name: "Sign in" }));
    await screen.findByText("Name or password is wrong");
    fireEvent.change(password, { target: { value: "right" } });
    fireEvent.click(screen.getByRole("button", { name: "Sign in" }));
    await waitFor(() => expect(sent(calls)).toHaveLength(2));
    expect(dialog.isConnected).toBe(false);
    expect(calls.find((call) => call.path === "/session")?.body).toMatchObject({ username: "mona" });
    expect(sent(calls)[1]).toEqual(sent(calls)[0]);
  });

  it("sends nothing of one person in the name of another", async () => {
    const calls = serve({
      [`PATCH ${PATH}`]: [{ status: 401, body: {} }, { body: experiment({ area: "Home", version: 4 }) }],
    });
    vi.spyOn(console, "error").mockImplementation(() => undefined); // the page would be made from the start here
    open();
    type(area(), "Home");
    show(<SignInAgain />);
    await screen.findByRole("dialog"); // it waits
    act(() => recognise("ada"));
    await act(() => Promise.resolve());
    expect(sent(calls)).toHaveLength(1);
    act(() => recognise("mona"));
    await waitFor(() => expect(sent(calls)).toHaveLength(2));
    vi.restoreAllMocks();
  });

  it("sends again with the token of the new session", async () => {
    const tokens: (string | null)[] = [];
    server.answer = (input) => {
      tokens.push((input as Request).headers.get("X-CSRFToken"));
      const status = tokens.length === 1 ? 401 : 200;
      return Promise.resolve(new Response("{}", { status, headers: { "Content-Type": "application/json" } }));
    };
    document.cookie = "csrftoken=old";
    const done = take(client.DELETE("/api/v1/me/sessions"));
    show(<SignInAgain />);
    await screen.findByRole("dialog");
    document.cookie = "csrftoken=new";
    act(() => recognise("mona"));
    await done;
    expect(tokens).toEqual(["old", "new"]);
    document.cookie = "csrftoken=; max-age=0";
  });

  it("asks once for all that waits", async () => {
    serve({
      "GET /docket": [
        { status: 401, body: {} },
        { status: 401, body: {} },
        { body: { rows: [1] } },
        { body: { rows: [2] } },
      ],
    });
    const both = [1, 2].map(() => take(client.GET("/api/v1/docket")));
    show(<SignInAgain />);
    await screen.findByRole("dialog");
    expect(screen.getAllByRole("dialog")).toHaveLength(1);
    act(() => recognise("mona"));
    expect(await Promise.all(both)).toEqual([{ rows: [1] }, { rows: [2] }]);
    await waitFor(() => expect(screen.queryByRole("dialog")).toBeNull());
  });
});
