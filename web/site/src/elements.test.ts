import { beforeEach, describe, expect, it } from "vitest";
import { find, textOf } from "./changes";
import { nameOf, placeOf } from "./elements";

const PAGE = `<main id="page"><h1>Where to?</h1>
  <form><label for="from">From</label><select id="from"><option>Tidewick</option></select>
    <input name="email" value="somebody@tidewick.example"><button type="submit">Search   sailings</button></form>
  <a href="/islands"><img src="/map.png" alt="Map of the islands"></a>
  <ul class="fares"><li>One</li><li class="seen-20261129">Two</li></ul><ul><li>One</li><li><span id="v81724">Two of them</span></li></ul>
  <p>${"A long word about ferries. ".repeat(12)}</p><div></div></main>`;
const FINDING = { find, textOf };
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
    ["#from", ["#from", "#page > form > select"], undefined],
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
    ["input", "Field without words"], // never by what is typed there
    ["#v81724", "Part “Two of them”"],
    ["p", "Text “A long word about ferries. A long word…”"],
    ["div", "Part without words"],
  ])("such as %s is called as a reader would", (selector, name) => {
    expect(nameOf(element(selector), textOf)).toBe(name);
  });
});
