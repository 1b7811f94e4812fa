import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { change, find, type Change, type State } from "./changes";

const at = (selector: string) => ({ selectors: [selector], name: selector });
const PAGE = `<main><h1>Where to?</h1><p id="intro">Nine <em>islands</em></p>
  <a id="way" href="/old">Sailings</a><button id="search">Search</button>
  <picture id="deck"><source srcset="/big.jpg"><img src="/old.jpg" srcset="/x.jpg 2x" alt="old"></picture>
  <ul><li class="line">One</li><li class="line">Two</li></ul></main>`;
let worn: string[];
const stops: (() => void)[] = [];

beforeEach(() => {
  vi.useFakeTimers();
  document.body.innerHTML = PAGE;
  worn = [];
  vi.stubGlobal(
    "CSSStyleSheet",
    class {
      replaceSync = (css: string) => worn.push(css);
    },
  );
  Object.defineProperty(document, "adoptedStyleSheets", { value: [], configurable: true });
});

afterEach(() => {
  stops.splice(0).forEach((stop) => stop());
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

function made(...changes: Change[]): { states: State[][]; stop: () => void } {
  const states: State[][] = [];
  const stop = change(changes, (now) => states.push(now));
  stops.push(stop);
  return { states, stop };
}

// jsdom does not always write that a style is important; tests/e2e/test_page_changes.py holds one against the page's own.
const html = (selector: string) => document.querySelector(selector)?.outerHTML.replaceAll(" !important", "") ?? "";
/** What happens between two pieces of a page. */
const piece = () => vi.advanceTimersByTimeAsync(0);

describe("a change", () => {
  it.each<[Change, string, string]>([
    [{ kind: "text", find: at("#intro"), text: "<b>Ten</b>" }, "#intro", '<p id="intro">&lt;b&gt;Ten&lt;/b&gt;</p>'],
    [{ kind: "link", find: at("#way"), href: "/new" }, "#way", '<a id="way" href="/new">Sailings</a>'],
    [{ kind: "picture", find: at("#deck img"), src: "/new.jpg", alt: "new" }, "#deck",
      '<picture id="deck"><img src="/new.jpg" alt="new"></picture>'],
    [{ kind: "style", find: at("#search"), styles: { color: "red", "font-size": "18px" } }, "#search",
      '<button id="search" style="color: red; font-size: 18px;">Search</button>'],
    [{ kind: "hide", find: at("#search") }, "#search",
      '<button id="search" style="display: none;">Search</button>'],
    [{ kind: "move", find: at("#search"), place: "before", to: at("h1") }, "main > :first-child",
      '<button id="search">Search</button>'],
    [{ kind: "insert", find: at("h1"), place: "after", html: "<p>Calm sea</p>" }, "h1 + p", "<p>Calm sea</p>"],
    [{ kind: "insert", find: at("ul"), place: "last", html: "<li>Three</li>" }, "li:last-child", "<li>Three</li>"],
  ])("of the page is made: %j", (one, selector, result) => {
    const { states } = made(one);
    expect(html(selector)).toBe(result);
    expect(states).toEqual([["made"]]);
  }); // prettier-ignore

  it("of the page's styles is a sheet of its own, once", async () => {
    const { states } = made({ kind: "css", css: "h1 { color: teal }" }, { kind: "hide", find: at("#late") });
    document.body.append(Object.assign(document.createElement("p"), { id: "late" }));
    await piece();
    expect(worn).toEqual(["h1 { color: teal }"]);
    expect(states).toEqual([["made", "made"]]);
  });

  it.each([
    [{ selectors: [".line", "#search"] }, "#search"], // the first finds two
    [{ selectors: ["#gone"], says: "Search" }, "#search"],
    [{ selectors: ["#gone"], says: "Nine islands" }, "#intro"], // over parts of it
    [{ selectors: ["#way"], says: "Search" }, "#way"], // what it says is the last thing to go by
  ])("finds the one element that is meant: %j", (place, selector) => {
    expect(find(place)).toBe(document.querySelector(selector));
  });

  it.each([
    [{ selectors: [".line"], says: "Three" }, "several"],
    [{ selectors: ["#gone"], says: "Twice" }, "several"],
    [{ selectors: ["#gone"], says: "Sail" }, "absent"], // only a part of what it says
  ])("finds none where it could be another: %j", (place, why) => {
    document.body.insertAdjacentHTML("beforeend", "<p>Twice</p><p>Twice</p>");
    expect(find(place)).toBe(why);
  });

  it("takes the first selector that finds one alone", () => {
    made({ kind: "text", find: { selectors: ["#gone", "#search"], name: "the button" }, text: "Find" });
    expect(html("#search")).toBe('<button id="search">Find</button>');
  });

  it("is made when its element comes, before it is drawn, and once more where the page makes it again", async () => {
    const { states } = made({ kind: "text", find: at("#late"), text: "Changed" });
    const come = () => {
      document.querySelector("#late")?.remove();
      document.querySelector("main")?.insertAdjacentHTML("beforeend", '<p id="late">As it is</p>');
    };
    come();
    await piece();
    expect(html("#late")).toContain("Changed");
    expect(states).toEqual([["made"]]);
    come();
    await piece();
    expect(html("#late")).toContain("Changed");
    expect(states).toHaveLength(1);
  });

  it("is not made twice in the same element", async () => {
    made({ kind: "insert", find: at("h1"), place: "after", html: "<p class='note'>Calm sea</p>" });
    document.querySelector("ul")?.append(document.createElement("li"));
    await piece();
    expect(document.querySelectorAll(".note")).toHaveLength(1);
  });

  it("is said not to be made two seconds after the page is there, with the reason", async () => {
    const { states } = made(
      { kind: "hide", find: at("#gone") },
      { kind: "hide", find: at(".line") },
      { kind: "hide", find: at("a:not(") },
      { kind: "move", find: at("main"), place: "before", to: at("h1") },
      { kind: "hide", find: at("#way") },
    );
    await vi.advanceTimersByTimeAsync(1_900);
    expect(states).toEqual([]);
    await vi.advanceTimersByTimeAsync(200);
    expect(states).toEqual([["absent", "several", "failed", "failed", "made"]]);
    expect(html(".line")).toBe('<li class="line">One</li>');
  });

  it("is made no more once it is stopped", async () => {
    const { stop } = made({ kind: "hide", find: at("#late") });
    stop();
    document.body.append(Object.assign(document.createElement("p"), { id: "late" }));
    await piece();
    expect(html("#late")).toBe('<p id="late"></p>');
  });
});
