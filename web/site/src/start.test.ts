import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { pageHash, sendOn, thisPage } from "./passages";
import { start, type Neat, type Options } from "./start";

interface Call {
  path: string;
  body: { key: string; unit?: string; properties?: object; events?: Record<string, unknown>[] };
}

const ASSIGNED = { value: true, experiment: "fare-calendar", variant: "B", reason: "assigned" };
const KEY: Partial<Options> = { key: "nvsite_x", address: "https://verdict.example/" };
let calls: Call[];
let answers: Record<string, () => Promise<Response> | Response>;
let beacons: string[];

const ok = (body: object) => new Response(JSON.stringify(body));
const sent = () => calls.filter((call) => call.path === "events").flatMap((call) => call.body.events ?? []);
const stored = () =>
  Object.keys(localStorage)
    .filter((name) => name.startsWith("neat_waiting:"))
    .flatMap((name) => JSON.parse(localStorage.getItem(name) ?? "[]") as string[]);
const later = (milliseconds: number) => vi.advanceTimersByTimeAsync(milliseconds);

beforeEach(() => {
  vi.useFakeTimers({ now: new Date("2026-03-30T12:00:00Z") });
  calls = [];
  beacons = [];
  answers = { assign: () => ok({ parameters: { calendar: ASSIGNED } }), events: () => ok({ accepted: 1 }) };
  vi.stubGlobal("fetch", (address: string, given: RequestInit) => {
    const path = address.replace("https://verdict.example/site/v1/", "");
    calls.push({ path, body: JSON.parse(given.body as string) as Call["body"] });
    const answer = Promise.resolve(answers[path]?.() ?? new Response(null, { status: 404 }));
    return new Promise((resolve, reject) => {
      given.signal?.addEventListener("abort", () => reject(new DOMException("aborted", "AbortError")));
      answer.then(resolve, reject);
    });
  });
  navigator.sendBeacon = (_address, body) => beacons.push(body as string) > 0;
  localStorage.clear();
  for (const name of ["neat_unit", "neat_out"]) document.cookie = `${name}=; Max-Age=0; Path=/`;
});

afterEach(() => {
  pages.splice(0).forEach((neat) => neat.consent(false)); // what it looks for, it looks for no more
  vi.useRealTimers();
  vi.unstubAllGlobals();
  vi.restoreAllMocks();
});

const pages: Neat[] = [];

async function begun(given: Partial<Options> = {}): Promise<Neat> {
  const neat = start({ ...KEY, ...given });
  pages.push(neat);
  await neat.ready;
  return neat;
}

describe("parameters", () => {
  it("are there once ready, and reading one is the exposure, once", async () => {
    const neat = start({ ...KEY, properties: { device: "phone" }, version: "booking 42" });
    expect(neat.get("calendar", false)).toBe(false);
    await neat.ready;
    expect(calls[0]?.body).toMatchObject({ key: "nvsite_x", unit: neat.unit, properties: { device: "phone" } });
    expect(neat.get("calendar", false)).toBe(true);
    neat.get("calendar", false);
    neat.track("search", { words: 3 });
    await later(1000);
    expect(neat.assignments()).toEqual([{ experiment: "fare-calendar", variant: "B", reason: "assigned" }]);
    const [exposure, search, ...more] = sent();
    expect(more).toEqual([]);
    expect(exposure).toMatchObject({
      event: "exposure", experiment: "fare-calendar", variant: "B", reason: "assigned",
      unit: neat.unit, at: "2026-03-30T12:00:00.000Z", device: "phone", base_version: "booking 42",
    }); // prettier-ignore
    expect(search).toMatchObject({ event: "search", words: 3, unit: neat.unit });
  });

  it.each([
    ["is of another type", { value: "yes", experiment: "x", variant: "B", reason: "assigned" }],
    ["is of a test the visitor has no part in", { value: true }],
  ])("make no exposure where one %s", async (_, calendar) => {
    answers.assign = () => ok({ parameters: { calendar } });
    const neat = await begun();
    expect(neat.get("calendar", false)).toBe(typeof calendar.value === "boolean" ? calendar.value : false);
    expect(neat.get("unknown", 7)).toBe(7);
    await later(5000);
    expect(sent()).toEqual([]);
  });

  it("are exposed when the site says so", async () => {
    const neat = await begun();
    expect(neat.get("calendar", false, "later")).toBe(true);
    await later(1000);
    expect(sent()).toEqual([]);
    neat.expose("calendar");
    await later(1000);
    expect(sent()).toHaveLength(1);
  });

  it("are exposed when the changed thing is in view, also where it comes late", async () => {
    let see: IntersectionObserverCallback = () => undefined;
    vi.stubGlobal(
      "IntersectionObserver",
      class {
        constructor(callback: IntersectionObserverCallback) {
          see = callback;
        }
        observe = vi.fn();
        disconnect = vi.fn();
      },
    );
    const view = (intersectionRatio: number) =>
      see(
        [{ isIntersecting: true, intersectionRatio, intersectionRect: { height: 1 } } as IntersectionObserverEntry],
        {} as never,
      );
    const neat = await begun();
    neat.get("calendar", false, { selector: "#calendar" });
    view(1);
    document.body.innerHTML = '<div id="calendar"></div>';
    await later(0);
    view(0.4);
    await later(1000);
    expect(sent()).toEqual([]);
    view(0.5);
    await later(1000);
    expect(sent()).toHaveLength(1);
  });
});

describe("a page", () => {
  it.each([
    ["the service is away", () => Promise.reject(new TypeError("no network"))],
    ["the answer is an error", () => new Response("{}", { status: 503 })],
    ["the answer is no JSON", () => new Response("<html>")],
    ["the answer is empty", () => new Response("{}")],
  ])("shows what it shows without us where %s", async (_, answer) => {
    answers.assign = answer;
    const neat = await begun();
    expect(neat.get("calendar", "list")).toBe("list");
    await later(5000);
    expect(sent()).toEqual([]);
  });

  it("waits no longer than its time-out, and what comes later is too late", async () => {
    let reply: (answer: Response) => void = () => undefined;
    answers.assign = () => new Promise<Response>((resolve) => (reply = resolve));
    const neat = start({ ...KEY, timeout: 200 });
    let ready = false;
    void neat.ready.then(() => (ready = true));
    await later(199);
    expect(ready).toBe(false);
    await later(1);
    expect(ready).toBe(true);
    reply(ok({ parameters: { calendar: ASSIGNED } }));
    await later(1000);
    expect(neat.get("calendar", false)).toBe(false);
    expect(sent()).toEqual([]);
  });

  it("within a frame that may store nothing is served all the same", async () => {
    const refuse = () => {
      throw new DOMException("sandboxed", "SecurityError");
    };
    Object.defineProperty(document, "cookie", { get: refuse, set: refuse, configurable: true });
    vi.stubGlobal("localStorage", new Proxy({}, { get: refuse, ownKeys: refuse }));
    const neat = await begun();
    expect(neat.get("calendar", false)).toBe(true);
    await later(1000);
    expect(sent()).toHaveLength(1);
    Reflect.deleteProperty(document, "cookie");
  });

  it("never sees what goes wrong here", async () => {
    const neat = await begun();
    vi.spyOn(document, "querySelector").mockImplementation(() => {
      throw new Error("wrong");
    });
    expect(neat.get("calendar", false, { selector: "((" })).toBe(false);
    neat.onChange(() => {
      throw new Error("wrong too");
    });
    history.pushState({}, "", "/elsewhere");
    const circle: Record<string, never> = {};
    expect(() => neat.track("x", Object.assign(circle, { circle }) as never)).not.toThrow();
  });

  it("sends its addresses as they change, each once", async () => {
    const neat = await begun({ pageViews: true });
    const changed = vi.fn();
    neat.onChange(changed);
    history.pushState({}, "", "/sailings");
    history.replaceState({}, "", "/sailings");
    history.replaceState({}, "", "/seat");
    await later(1000);
    expect(changed).toHaveBeenCalledTimes(2);
    expect(sent().map((event) => [event.event, event.address])).toEqual([
      ["page_view", expect.any(String)], ["page_view", "/sailings"], ["page_view", "/seat"],
    ]); // prettier-ignore
  });

  it("asks once more when more is known of the visitor", async () => {
    const neat = await begun({ pageViews: true });
    const changed = vi.fn();
    neat.onChange(changed);
    answers.assign = () => ok({ parameters: { calendar: { ...ASSIGNED, variant: "A", value: false } } });
    await neat.know({ signed_in: true });
    expect(calls.at(-1)?.body.properties).toEqual({ signed_in: true });
    expect(changed).toHaveBeenCalledTimes(1);
    expect(neat.get("calendar", true)).toBe(false);
    await later(1000);
    expect(sent().filter((event) => event.event === "page_view")).toHaveLength(1);
  });
});

describe("visitors", () => {
  it("are the same on the next page, or whom the site says they are", async () => {
    const first = (await begun()).unit;
    expect(first).toMatch(/^[0-9a-f-]{36}$/);
    expect((await begun()).unit).toBe(first);
    expect((await begun({ unit: "account-7" })).unit).toBe("account-7");
  });

  it("are not known before they agree, where they are asked", async () => {
    const neat = await begun({ askConsent: true, pageViews: true });
    neat.track("search");
    expect(neat.get("calendar", false)).toBe(false);
    await later(5000);
    expect([calls, document.cookie, localStorage.length, neat.unit]).toEqual([[], "", 0, ""]);
    const changed = vi.fn();
    neat.onChange(changed);
    neat.consent(true);
    await later(1000);
    expect(changed).toHaveBeenCalledTimes(1);
    expect(neat.get("calendar", false)).toBe(true);
    expect(document.cookie).toContain("neat_unit=");
    neat.consent(false);
    await later(5000);
    expect([document.cookie, neat.get("calendar", false), neat.unit]).toEqual(["", false, ""]);
  });

  it.each([{ doNotTrack: "1" }, { globalPrivacyControl: true }])("are left alone where %o says so", async (signal) => {
    for (const [name, value] of Object.entries(signal)) {
      Object.defineProperty(navigator, name, { value, configurable: true });
    }
    const neat = await begun();
    neat.track("search");
    await later(5000);
    expect([calls, document.cookie, neat.get("calendar", 1)]).toEqual([[], "", 1]);
    for (const name of Object.keys(signal)) Reflect.deleteProperty(navigator, name);
  });

  it("opt out for good, and in again", async () => {
    localStorage.setItem("neat_waiting:earlier", "[]");
    const neat = await begun({ unit: "" });
    neat.get("calendar", false);
    localStorage.setItem("neat_waiting:another", '["{}"]');
    neat.optOut();
    expect(localStorage.length).toBe(0);
    await later(5000);
    expect(sent()).toEqual([]);
    calls = [];
    const next = await begun();
    next.track("search");
    await later(5000);
    expect([calls, next.get("calendar", false)]).toEqual([[], false]);
    next.optIn();
    await later(1000);
    expect(next.get("calendar", false)).toBe(true);
  });
});

describe("events", () => {
  it("wait for the network, less and less often, and come each once", async () => {
    answers.events = () => Promise.reject(new TypeError("no network"));
    const neat = await begun();
    neat.track("search");
    await later(1000 + 2000 + 4000);
    expect(calls.filter((call) => call.path === "events")).toHaveLength(3);
    expect(stored()).toHaveLength(1);
    const [id] = sent().map((event) => event.id);
    answers.events = () => ok({ accepted: 1 });
    await later(8000);
    expect(new Set(sent().map((event) => event.id))).toEqual(new Set([id]));
    expect(stored()).toEqual([]);
    calls = [];
    await later(60_000);
    expect(calls).toEqual([]);
  });

  it.each([[422, 0], [403, 0], [429, 1], [503, 1]])("answered with %i are kept %i", async (status, kept) => {
    answers.events = () => new Response("{}", { status, headers: status === 429 ? { "Retry-After": "7" } : {} });
    const neat = await begun();
    neat.track("search");
    await later(1000);
    calls = [];
    await later(status === 429 ? 6999 : 1999);
    expect(sent()).toHaveLength(0);
    await later(1);
    expect(sent()).toHaveLength(kept);
  }); // prettier-ignore

  it("go along when the page is left, in batches as large as a page may send", async () => {
    const neat = await begun();
    for (let number = 0; number < 120; number += 1) neat.track("scrolled", { number, words: "é".repeat(900) });
    window.dispatchEvent(new Event("pagehide"));
    const batches = beacons.map((body) => (JSON.parse(body) as Call["body"]).events ?? []);
    const numbers = batches.flat().flatMap(({ number }) => (typeof number === "number" ? [number] : []));
    expect(numbers).toEqual([...Array(120).keys()]);
    expect(Math.max(...beacons.map((body) => new TextEncoder().encode(body).length))).toBeLessThanOrEqual(64 * 1024);
    await later(5000);
    expect(sent()).toEqual([]);
  });

  it("of a page that is still open stay stored when another has sent its own", async () => {
    const first = await begun();
    const second = await begun({ unit: "somebody" });
    answers.events = () => Promise.reject(new TypeError("no network"));
    first.track("search");
    await later(1000);
    answers.events = () => ok({ accepted: 1 });
    second.track("seat_chosen");
    await later(1000);
    expect(sent().at(-1)?.event).toBe("seat_chosen");
    expect(stored().map((one) => (JSON.parse(one) as { event: string }).event)).toEqual(["search"]);
    await later(2000);
    expect(stored()).toEqual([]);
  });

  it("of a page that was left without a network come from the next", async () => {
    navigator.sendBeacon = () => false;
    const neat = await begun();
    neat.track("search");
    window.dispatchEvent(new Event("pagehide"));
    await begun();
    await later(1000);
    expect(sent().map((event) => event.event)).toContain("search");
  });
});

vi.mock("./passages", async (load) => ({ ...(await load<typeof import("./passages")>()), sendOn: vi.fn() }));

describe("several tests between pages", () => {
  const of = (experiment: string, to: string, more = {}) => ({
    experiment, variant: to ? "B" : "A", reason: "assigned", here: true, to, counts: true, between: true, changes: [], ...more,
  }); // prettier-ignore
  const stays = (experiment: string) => of(experiment, "");
  const goes = (experiment: string) => of(experiment, "https://www.tidewick.example/b");

  // Those before the one that sends have counted all of theirs; those after it none, whichever variant.
  it.each<[object[], string, string[]]>([
    [[stays("first"), stays("second")], "", ["first", "second"]],
    [[stays("first"), goes("second")], "second", ["first", "second"]],
    [[goes("first"), stays("second")], "first", ["first"]],
    [[goes("first"), goes("second")], "first", ["first"]],
    [[of("changed", "", { between: false }), goes("second")], "second", ["second"]],
    [[of("held", "https://www.tidewick.example/b", { counts: false }), stays("second")], "held", []],
    [[of("arrived", "", { here: false }), goes("second")], "second", ["second"]],
  ])("send by the first that does: %j", async (passages, sender, exposed) => {
    answers.assign = () => ok({ passages });
    await begun();
    await later(1_000);
    const sends = vi.mocked(sendOn).mock.calls.map(([passage]) => passage.experiment);
    expect(sends).toEqual(sender ? [sender] : []);
    expect(sent().flatMap(({ event, experiment }) => (event === "exposure" ? [experiment] : []))).toEqual(exposed);
    vi.mocked(sendOn).mockClear();
  });

  it.each([
    ["", "first"],
    ["first", "second"],
    ["first.second", ""],
    ["first-b.second", "first"],
  ])("send nobody twice: after %j", async (moved, sender) => {
    document.cookie = `neat_moved=${moved}; Path=/`;
    answers.assign = () => ok({ passages: [goes("first"), goes("second")] });
    await begun();
    await later(1_000);
    expect(vi.mocked(sendOn).mock.calls.map(([passage]) => passage.experiment)).toEqual(sender ? [sender] : []);
    expect(sent().map(({ experiment }) => experiment)).toEqual(sender ? [sender] : []);
    document.cookie = "neat_moved=; Max-Age=0; Path=/";
    vi.mocked(sendOn).mockClear();
  });
});

describe("changes on the page", () => {
  const place = (selector: string) => ({ selectors: [selector], name: selector });
  const changes = [
    { kind: "insert", find: place("#list"), place: "last", html: "<li>Far Skerry</li>" },
    { kind: "hide", find: place("#gone") },
  ];
  const own = { experiment: "islands", variant: "B", reason: "assigned", here: true, to: "", counts: true, changes };
  const items = () => document.querySelectorAll("#list li").length;

  beforeEach(() => {
    document.body.innerHTML = "<ul id='list'><li>Selkie Isle</li></ul>";
    answers.assign = () => ok({ passages: [{ ...own, between: false }] });
  });

  it("are made once, however often parameters are asked for, with an exposure and what could not be made", async () => {
    const neat = await begun();
    expect(items()).toBe(2);
    await neat.know({ device: "phone" });
    document.body.append(document.createElement("p"));
    await later(5_000);
    expect(items()).toBe(2);
    expect(sent().map(({ event, change, problem }) => [event, change, problem])).toEqual([
      ["exposure", undefined, undefined],
      ["page_change_failed", 2, "absent"],
    ]);
  });

  it.each([
    [
      "by its brands",
      {
        brands: [
          { brand: "Not)A;Brand", version: "8" },
          { brand: "Lantern", version: "98" },
        ],
      },
      "Lantern 98",
    ],
    ["by its older line", undefined, "Beacon 12"],
  ])("that could not be made are said with the browser, as the exposure is, %s", async (_, userAgentData, browser) => {
    const line = "Mozilla/5.0 (X11) Engine/537.36 Beacon/12.3.4";
    Object.defineProperty(navigator, "userAgent", { value: line, configurable: true });
    Object.defineProperty(navigator, "userAgentData", { value: userAgentData, configurable: true });
    await begun();
    await later(5_000);
    for (const said of ["exposure", "page_change_failed"])
      expect(sent().find(({ event }) => event === said)).toMatchObject({ browser });
    for (const name of ["userAgent", "userAgentData"]) Reflect.deleteProperty(navigator, name);
  });

  it("are made no more after an opt-out", async () => {
    const neat = await begun();
    neat.optOut();
    document.body.innerHTML = "<ul id='list'></ul>";
    await later(1_000);
    expect(items()).toBe(0);
  });

  it.each([
    ["that is drawn by then is left as it is", true, 1, []],
    ["that is still held back is changed", false, 2, ["exposure"]],
  ])("of a page %s", async (_, over, count, events) => {
    const end = vi.fn();
    window.neatHold = { end, over };
    await begun();
    await later(1_000);
    expect(items()).toBe(count);
    expect(sent().map(({ event }) => event)).toEqual(events);
    expect(end).toHaveBeenCalled();
    delete window.neatHold;
  });

  it("hold back no page but those on which something is changed", async () => {
    const end = vi.fn();
    window.neatHold = { end };
    answers.assign = () => new Promise(() => undefined);
    const neat = start({ ...KEY });
    neat.changed([pageHash(thisPage()), 7]);
    expect(end).not.toHaveBeenCalled();
    neat.changed([7]);
    expect(end).toHaveBeenCalledTimes(1);
    await later(1_000);
    delete window.neatHold;
  });
});

describe("a preview", () => {
  const LOOK = { variant: "B", name: "Calendar first", expires_at: "2026-04-06T12:00:00Z" };

  beforeEach(async () => {
    history.replaceState(null, "", "/sailings?day=7&neat_preview=7-99~x");
    await later(5000); // the pages of the tests before see the address change too
    calls = [];
    answers.preview = () => ok({ ...LOOK, parameters: { calendar: { value: true } } });
  });

  afterEach(() => {
    history.replaceState(null, "", "/");
    document.cookie = "neat_preview=; Max-Age=0; Path=/";
  });

  it("shows the variant of its link, and nothing of the visit is known, stored or sent", async () => {
    const neat = await begun({ pageViews: true });
    expect(calls.map(({ path, body }) => [path, body])).toEqual([
      [
        "preview",
        { key: "nvsite_x", page: "/sailings", held: false, script: expect.any(String) as string, token: "7-99~x" },
      ],
    ]);
    expect(neat.get("calendar", false)).toBe(true);
    neat.track("search");
    await neat.know({ device: "phone" });
    await later(5000);
    expect([neat.unit, neat.assignments(), sent(), stored(), document.cookie.includes("neat_unit")]).toEqual([
      "", [], [], [], false,
    ]); // prettier-ignore
  });

  it("stays on the pages that follow, and ends with its cookie", async () => {
    await begun();
    history.replaceState(null, "", "/seat");
    expect((await begun()).get("calendar", false)).toBe(true);
    document.cookie = "neat_preview=; Max-Age=0; Path=/";
    expect((await begun()).unit).not.toBe("");
    expect(calls.map((call) => call.path)).toEqual(["preview", "preview", "assign"]);
  });

  it("that has expired shows what everybody sees, and counts nobody", async () => {
    answers.preview = () => new Response(JSON.stringify({ title: "This preview has expired." }), { status: 410 });
    const neat = await begun();
    expect(neat.get("calendar", false)).toBe(false);
    expect(calls.map((call) => call.path)).toEqual(["preview"]);
    expect(neat.unit).toBe("");
  });
});

describe("a link for changing the page", () => {
  it("shows one bar, whatever becomes known of the visitor, so that what is typed there stays", async () => {
    const shown = vi.fn(() => Promise.resolve());
    vi.doMock("https://verdict.example/site/v1/neat-point.js", () => ({ begin: shown }));
    history.replaceState(null, "", "/sailings?neat_point=7-1-99~x");
    const neat = await begun();
    await neat.know({ device: "phone" });
    expect(shown).toHaveBeenCalledOnce();
    vi.doUnmock("https://verdict.example/site/v1/neat-point.js");
  });

  afterEach(() => {
    history.replaceState(null, "", "/");
    sessionStorage.clear();
  });

  it("leaves the address, stays with the tab, and nobody is counted meanwhile", async () => {
    history.replaceState(null, "", "/sailings?neat_point=7-1-99~x&day=7#fares");
    for (const address of ["/sailings?day=7#fares", "/elsewhere"]) {
      const neat = await begun({ pageViews: true });
      expect(location.href.endsWith(address)).toBe(true);
      expect(sessionStorage.getItem("neat_point")).toBe("7-1-99~x");
      neat.track("search");
      expect(neat.unit).toBe("");
      await later(1000);
      history.replaceState(null, "", "/elsewhere");
    }
    expect(calls).toEqual([]);
  });
});

describe("a visitor who is followed", () => {
  const FOLLOWED = [{ experiment: "fare-calendar", variant: "B" }];
  const stop = vi.fn();
  const follow = vi.fn(() => stop);

  beforeEach(() => {
    history.replaceState(null, "", "/sailings?day=7");
    vi.doMock("https://verdict.example/site/v1/neat-use.js", () => ({ follow }));
    answers.assign = () => ok({ parameters: {}, followed: FOLLOWED });
    stop.mockClear();
    follow.mockClear();
  });

  afterEach(() => {
    history.replaceState(null, "", "/");
    vi.doUnmock("https://verdict.example/site/v1/neat-use.js");
  });

  it("is followed once, however often parameters are asked for", async () => {
    const neat = await begun();
    await vi.waitFor(() => expect(follow).toHaveBeenCalledOnce());
    expect(follow).toHaveBeenCalledWith(expect.objectContaining({ unit: neat.unit, followed: FOLLOWED }));
    await neat.know({ device: "phone" });
    await later(100);
    expect(follow).toHaveBeenCalledOnce();
    expect(stop).not.toHaveBeenCalled();
  });

  it("is sent and followed no more where a page changes its address, but for what follows the path", async () => {
    await begun();
    await vi.waitFor(() => expect(follow).toHaveBeenCalledOnce());
    history.pushState(null, "", "/sailings?day=8#fares");
    await later(100);
    expect(stop).not.toHaveBeenCalled();
    history.pushState(null, "", "/seat");
    await later(100);
    expect(stop).toHaveBeenCalledExactlyOnceWith(true);
  });

  it("is not sent after an opt-out, and not followed where nobody follows", async () => {
    const neat = await begun();
    await vi.waitFor(() => expect(follow).toHaveBeenCalledOnce());
    neat.optOut();
    expect(stop).toHaveBeenCalledExactlyOnceWith(false);
    answers.assign = () => ok({ parameters: {} });
    await begun();
    await later(100);
    expect(follow).toHaveBeenCalledOnce();
  });
});
