import { beforeEach, describe, expect, it } from "vitest";
import { altered, change, find, textOf, type Change } from "./changes";
import { keyOf, nameOf, placeOf } from "./elements";

const PAGE = `<main id="page"><h1>Where to?</h1>
  <form><label id="of">From <select id="from"><option>Tidewick</option></select></label>
    <input name="email" value="somebody@tidewick.example"><button type="submit">Search   sailings</button></form>
  <a href="/islands"><img src="/map.png" alt="Map of the islands"></a>
  <ul class="fares"><li>One</li><li class="seen-20261129">Two</li></ul><ul><li>One</li><li><span id="v81724">Two of them</span></li></ul>
  <p>${"A long word about ferries. ".repeat(12)}</p><div></div></main>`;
const FINDING = { altered, find, textOf };
const element = (selector: string) => document.querySelector(selector) as Element;

beforeEach(() => {
  document.body.innerHTML = PAGE;
});

describe("an element that is pointed at", () => {
  it("is found alone by every way that is kept, whichever it is", () => {
    for (const one of document.body.querySelectorAll("*")) {
      const { selectors, says } = placeOf(one, FINDING);
      expect(selectors.length, one.outerHTML).toBeGreaterThan(0);
      selectors.forEach((selector) => expect([...document.querySelectorAll(selector)]).toEqual([one]));
      if (says) expect(find({ selectors: [], says })).toBe(one);
    }
  });

  it.each([
    ["#from", ["#from", "#of > select"], undefined],
    ["button", ['button[type="submit"]', "#page > form > button"], "Search sailings"],
    ["img", ['img[alt="Map of the islands"]', "#page > a > img"], undefined],
    [".fares", ["ul.fares", "#page > ul:nth-of-type(1)"], undefined],
    // Numbered by a program: another build has another number.
    ["#v81724", ["#page > ul:nth-of-type(2) > li:nth-of-type(2) > span"], "Two of them"],
    [".seen-20261129", ["#page > ul:nth-of-type(1) > li:nth-of-type(2)"], "Two"],
  ])("such as %s is found by what is likely to last, then by its place", (selector, selectors, says) => {
    expect(placeOf(element(selector), FINDING)).toMatchObject({ selectors, ...(says ? { says } : {}) });
  });

  it.each([
    ["h1", "Heading “Where to?”"],
    ["button", "Button “Search sailings”"],
    ["img", "Picture “Map of the islands”"],
    ["#from", "Field “From”"],
    ["label", "Label “From”"],
    ["input", "Field without words"], // never by what is typed there
    ["#v81724", "Part “Two of them”"],
    ["p", "Text “A long word about ferries. A long word…”"],
    ["div", "Part without words"],
  ])("such as %s is called as a reader would", (selector, name) => {
    expect(nameOf(element(selector), textOf)).toBe(name);
  });
});

describe("the key of an element that is clicked", () => {
  const at = (selector: string) => ({ selectors: [selector], name: selector });
  const keys = () =>
    [...document.querySelectorAll("[data-known]:not(a *, button *, select *, label *)")].map((one) => [
      one.getAttribute("data-known"),
      keyOf(one, FINDING),
    ]);

  it.each<[string, Change[]]>([
    ["inserted before them", [{ kind: "insert", find: at("h1"), place: "after", html: "<p>Calm</p><a href='/x'>Sea</a>" }]],
    ["moved away", [{ kind: "move", find: at("main > a"), place: "before", to: at("h1") }]],
    ["moved in among them", [{ kind: "move", find: at("form button"), place: "after", to: at("ul.fares li") }]],
    ["moved twice", [{ kind: "move", find: at(".fares"), place: "after", to: at("main > p") },
      { kind: "move", find: at(".fares"), place: "before", to: at("h1") }]],
    ["said otherwise and hidden", [{ kind: "text", find: at("h1"), text: "Which?" }, { kind: "hide", find: at("form") }]],
  ])("is the same in a variant where something is %s", (_, changes) => {
    document.querySelectorAll("main *").forEach((one, number) => one.setAttribute("data-known", String(number)));
    const before = new Map(keys() as [string, string][]);
    expect(new Set(before.values()).size).toBe(before.size);
    change(changes, () => undefined)();
    const after = keys() as [string, string][];
    after.forEach(([known, key]) => expect([known, key]).toEqual([known, before.get(known)]));
  }); // prettier-ignore

  it("of what was inserted is of the change, and its own place in that", () => {
    const html = "<p><a href='/a'>One</a><a href='/b'>Two</a></p><p>Three</p>";
    change(
      [
        { kind: "hide", find: at("form") },
        { kind: "insert", find: at("h1"), place: "after", html },
      ],
      () => undefined,
    )();
    const inserted = [...document.querySelectorAll("h1 ~ p")].slice(0, 2);
    const elements = [...inserted, ...(inserted[0]?.children ?? [])];
    expect(elements.map((one) => keyOf(one, FINDING))).toEqual([
      "inserted 2 > p 1",
      "inserted 2 > p 2",
      "inserted 2 > p 1 > a:nth-of-type(1)",
      "inserted 2 > p 1 > a:nth-of-type(2)",
    ]);
  });
});
