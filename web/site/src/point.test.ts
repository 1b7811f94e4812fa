import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { altered, change, find, textOf, type Change } from "./changes";
import { begin } from "./point";

const at = (selector: string) => ({ selectors: [selector], name: selector });
const SAYS: Change = { kind: "text", find: at("h1"), text: "Which island?" };
const GONE: Change & { on?: boolean } = { kind: "hide", find: at("#gone"), on: true };
let kept: { version: number; changes: Change[] };
let refuse: (() => Response) | undefined;
let asked: { version?: number; changes?: Change[] }[];
const reload = vi.fn();
const leave = vi.fn();

const answer = () => ({
  experiment: "Fare calendar", variant: "B", name: "Calendar", page: `${location.origin}/`, version: kept.version,
  changes: kept.changes, words: kept.changes.map((one) => `${one.kind} in words`),
}); // prettier-ignore

beforeEach(() => {
  document.body.innerHTML = '<main><h1>Where to?</h1><button id="search">Search</button><p id="late">Calm</p></main>';
  // The simulated browser has no such sheets, and does not load pages again.
  CSSStyleSheet.prototype.replaceSync = () => undefined;
  Object.defineProperty(Element.prototype, "scrollIntoView", { value: () => undefined, configurable: true });
  vi.stubGlobal("location", { ...location, origin: location.origin, pathname: "/", reload });
  kept = { version: 3, changes: [SAYS, GONE] };
  asked = [];
  refuse = undefined;
  vi.stubGlobal("fetch", (_address: string, given: RequestInit) => {
    const body = JSON.parse(given.body as string) as (typeof asked)[number];
    asked.push(body);
    if (body.changes && refuse) return Promise.resolve(refuse());
    if (body.changes) kept = { version: kept.version + 1, changes: body.changes };
    return Promise.resolve(new Response(JSON.stringify(answer())));
  });
});

afterEach(() => {
  stops.splice(0).forEach((stop) => stop());
  document.querySelectorAll("neat-point").forEach((one) => one.remove());
  sessionStorage.clear();
  reload.mockClear();
  vi.unstubAllGlobals();
});

const problem = (status: number, body: object) => () => new Response(JSON.stringify(body), { status });
const stops: (() => void)[] = [];
const tools = {
  address: "https://verdict.example", key: "k", token: "t", altered, find, textOf, leave,
  change: (...given: Parameters<typeof change>) => {
    stops.push(change(...given));
    return () => undefined;
  },
}; // prettier-ignore
const root = () => document.querySelector("neat-point")?.shadowRoot as ShadowRoot;
const press = (text: string) =>
  [...root().querySelectorAll("button")].find((one) => one.textContent === text || one.ariaLabel === text)?.click();
const keys = (...names: string[]) =>
  names.forEach((key) => window.dispatchEvent(new KeyboardEvent("keydown", { key, cancelable: true })));
const settled = () => new Promise((then) => setTimeout(then));
const field = (name: string) =>
  [...root().querySelectorAll("label")].find((one) => one.textContent?.startsWith(name))?.querySelector("textarea, input, select") as
    HTMLInputElement; // prettier-ignore

async function pointedAt(selector: string): Promise<void> {
  press("Point at something");
  document
    .querySelector(selector)
    ?.dispatchEvent(new MouseEvent("click", { bubbles: true, composed: true, cancelable: true }));
  await settled();
}

async function saved(): Promise<void> {
  root()
    .querySelector("form")
    ?.dispatchEvent(new SubmitEvent("submit", { cancelable: true }));
  await settled();
}

describe("the bar on a page that is changed", () => {
  it("shows the page as the variant is so far, and what could not be made", async () => {
    vi.useFakeTimers();
    await begin(tools);
    expect(document.querySelector("h1")?.textContent).toBe("Which island?");
    expect(root().textContent).toContain("Changing B, Calendar");
    await vi.advanceTimersByTimeAsync(2_100);
    vi.useRealTimers();
    press("Changes (2)");
    expect([...root().querySelectorAll("li label")].map((one) => one.textContent?.trim())).toEqual([
      "text in words",
      "hide in words (not found here)",
    ]);
  });

  it("says of one that was added what became of it, also before the others are known", async () => {
    vi.useFakeTimers();
    await begin(tools); // the second is looked for, for two seconds
    press("Point at something");
    document
      .querySelector("main")
      ?.dispatchEvent(new MouseEvent("click", { bubbles: true, composed: true, cancelable: true }));
    field("Where it is").value = "#elsewhere";
    root()
      .querySelector("form")
      ?.dispatchEvent(new SubmitEvent("submit", { cancelable: true }));
    await vi.advanceTimersByTimeAsync(4_500);
    vi.useRealTimers();
    press("Changes (3)");
    const lines = [...root().querySelectorAll("li label")].map((one) => one.textContent?.trim());
    expect(lines.slice(1)).toEqual(["hide in words (not found here)", "text in words (not found here)"]);
  });

  it("adds what was pointed at by mouse, which the page does not feel, and makes it at once", async () => {
    await begin(tools);
    const felt = vi.fn();
    document.querySelector("#search")?.addEventListener("click", felt);
    await pointedAt("#search");
    field("What it says").value = "Find my ferry";
    await saved();
    expect(felt).not.toHaveBeenCalled();
    expect(asked.at(-1)).toMatchObject({ version: 3 });
    expect(asked.at(-1)?.changes?.slice(2)).toEqual([
      {
        kind: "text",
        find: { selectors: ["#search", "main > button"], says: "Search", name: "Button “Search”" },
        text: "Find my ferry",
      },
    ]);
    expect(document.querySelector("#search")?.textContent).toBe("Find my ferry");
    expect(root().querySelector("form")).toBeNull();
    expect(reload).not.toHaveBeenCalled();
  });

  it("lets a finger scroll and press, and keeps both from the page", async () => {
    await begin(tools);
    const felt = vi.fn();
    const button = document.querySelector("#search") as Element;
    ["touchstart", "touchend", "pointerdown", "mousedown"].forEach((name) => button.addEventListener(name, felt));
    press("Point at something");
    const happened = (name: string) => {
      const event = new Event(name, { bubbles: true, cancelable: true, composed: true });
      button.dispatchEvent(event);
      return event.defaultPrevented;
    };
    expect(["touchstart", "touchend", "pointerdown", "mousedown"].map(happened)).toEqual([false, false, true, true]);
    expect(felt).not.toHaveBeenCalled();
    keys("Escape");
    expect(happened("pointerdown")).toBe(false);
    expect(felt).toHaveBeenCalledOnce();
  });

  it("lets everything be pointed at by keys, and nothing be on Escape", async () => {
    await begin(tools);
    press("Point at something");
    keys("ArrowDown", "ArrowDown", "ArrowRight", "ArrowUp", "ArrowDown");
    expect(root().querySelector("[role=status]")?.textContent).toBe("Heading “Which island?”");
    keys("ArrowRight", "Enter");
    expect(root().querySelector("form h2")?.textContent).toBe("Button “Search”");
    press("Cancel");
    press("Point at something");
    keys("ArrowDown", "Escape", "Enter");
    expect(root().querySelector("form")).toBeNull();
    expect(asked).toHaveLength(1);
  });

  it("moves one thing to another that is pointed at next", async () => {
    await begin(tools);
    await pointedAt("#late");
    const kind = field("What changes");
    kind.value = "move";
    kind.dispatchEvent(new Event("change", { bubbles: true }));
    await saved();
    expect(root().textContent).toContain("Point at where it goes first.");
    press("Point at where it goes");
    document
      .querySelector("h1")
      ?.dispatchEvent(new MouseEvent("click", { bubbles: true, composed: true, cancelable: true }));
    await saved();
    expect(asked.at(-1)?.changes?.at(-1)).toMatchObject({
      kind: "move",
      place: "before",
      to: { name: "Heading “Which island?”" },
    });
    expect(document.querySelector("main")?.firstElementChild?.id).toBe("late");
  });

  it.each<[string, () => Response | never, string]>([
    ["is refused", problem(422, { title: "A value is not accepted", errors: [{ field: "changes.2.html", message: "html (<script>) is not taken" }] }),
      "html (<script>) is not taken"],
    ["was overtaken", problem(409, { title: "Somebody changed this experiment meanwhile" }), "Somebody changed"],
    ["is too late", problem(410, { title: "This link has expired." }), "has expired"],
    ["meets no answer", () => { throw new Error("offline"); }, "nothing of this was saved"],
  ])("keeps what was typed where it %s", async (_, how, said) => {
    await begin(tools);
    await pointedAt("#search");
    field("What it says").value = "Find my ferry";
    refuse = how;
    await saved();
    expect(root().textContent).toContain(said);
    expect(field("What it says").value).toBe("Find my ferry");
    expect(document.querySelector("#search")?.textContent).toBe("Search");
  }); // prettier-ignore

  it.each<[string, () => void, () => void]>([
    ["nothing was pointed at after all", () => press("Point at where it goes"), () => keys("Escape")],
    ["pointing was stopped", () => press("Point at where it goes"), () => press("Stop pointing")],
    ["the list was looked at", () => press("Changes (2)"), () => press("Changes (2)")],
  ])("has what was typed again where %s", async (_, away, back) => {
    await begin(tools);
    await pointedAt("#late");
    const kind = field("What changes");
    kind.value = "move";
    kind.dispatchEvent(new Event("change", { bubbles: true }));
    field("What it is called").value = "The weather";
    const form = root().querySelector("form") as HTMLFormElement;
    away();
    expect(form.hidden).toBe(true);
    back();
    expect(form.hidden).toBe(false);
    expect(form.isConnected).toBe(true);
    expect(field("What it is called").value).toBe("The weather");
  });

  it("works where nothing may be stored", async () => {
    vi.stubGlobal("sessionStorage", undefined);
    await begin(tools);
    press("Changes (2)");
    expect(root().querySelectorAll("li")).toHaveLength(2);
    press("Remove change 1");
    await settled();
    expect(kept.changes).toEqual([GONE]);
    vi.unstubAllGlobals();
  });

  it("opens what is folded where that is what is refused", async () => {
    await begin(tools);
    await pointedAt("#search");
    const folded = root().querySelector("details") as HTMLDetailsElement;
    refuse = problem(422, { title: "x", errors: [{ field: "changes.2.text", message: "text" }] });
    await saved();
    expect(folded.open).toBe(false);
    refuse = problem(422, { title: "x", errors: [{ field: "changes.2.find.selectors.0", message: "selectors" }] });
    await saved();
    expect(folded.open).toBe(true);
  });

  it("takes what is there by now after it was overtaken, so that it can be saved again", async () => {
    await begin(tools);
    await pointedAt("#search");
    refuse = problem(409, { title: "Somebody changed this experiment meanwhile" });
    kept = { version: 8, changes: [GONE] };
    await saved();
    refuse = undefined;
    await saved();
    expect(asked.at(-1)?.version).toBe(8);
    expect(asked.at(-1)?.changes?.map((one) => one.kind)).toEqual(["hide", "text"]);
  });

  it.each([
    ["Change 2 up", ["hide", "text"]],
    ["Remove change 1", ["hide"]],
  ])("does %s, makes the page from the beginning, and undoes it", async (act, kinds) => {
    await begin(tools);
    press("Changes (2)");
    press(act);
    await settled();
    expect(kept.changes.map((one) => one.kind)).toEqual(kinds);
    expect(reload).toHaveBeenCalledOnce();
    document.querySelector("neat-point")?.remove();
    await begin(tools); // as the page is loaded again
    press("Undo");
    await settled();
    expect(kept.changes).toEqual([SAYS, GONE]);
  });

  it("switches one off", async () => {
    await begin(tools);
    press("Changes (2)");
    root().querySelector<HTMLInputElement>("li input")?.click();
    await settled();
    expect(kept.changes).toEqual([{ ...SAYS, on: false }, GONE]);
  });

  it("says on another page where changes are made", async () => {
    vi.stubGlobal("location", { ...location, origin: location.origin, pathname: "/elsewhere", reload });
    await begin(tools);
    expect(root().querySelector("a")?.getAttribute("href")).toBe(`${location.origin}/`);
    expect(root().textContent).not.toContain("Point at something");
    press("Done");
    expect(leave).toHaveBeenCalled();
  });
});
