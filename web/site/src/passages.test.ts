import { describe, expect, it } from "vitest";
import { carried, pageHash, wasSentBack, withSender } from "./passages";

describe("a page's hash", () => {
  // Test vectors of the FNV-1a reference (Fowler, Noll and Vo), 32 bits; tests/app/test_passages.py has the same.
  it.each([
    ["", 0x811c9dc5],
    ["a", 0xe40c292c],
    ["foobar", 0xbf9cf968],
    ["https://www.tidewick.example/fähre", 0x5fe8b872],
  ])("of %j", (page, hash) => {
    expect(pageHash(page)).toBe(hash);
  });
});

describe("the way to another page", () => {
  it.each([
    ["/b", "", "", "/b"],
    ["/b", "?via=mail&via=print", "#fares", "/b?via=mail&via=print#fares"],
    ["/b?layout=2", "?layout=1&via=mail", "", "/b?layout=2&via=mail"],
    ["/b#top", "", "#fares", "/b#top"],
    ["/b", "?q=a%26b%3Dc+d", "", "/b?q=a%26b%3Dc+d"],
  ])("to %s, of somebody who came with %s%s", (to, query, fragment, result) => {
    const origin = "https://www.tidewick.example";
    expect(carried(origin + to, new URL(`${origin}/a${query}${fragment}`)).href).toBe(origin + result);
  });
});

describe("somebody who was sent on by several", () => {
  it("is sent on by none of them once more", () => {
    const kept = new Map<string, string>();
    for (const experiment of ["first", "second-b"]) kept.set("neat_moved", withSender(kept, experiment));
    expect(["first", "second-b", "second", "third"].map((one) => wasSentBack(kept, one))).toEqual([
      true,
      true,
      false,
      false,
    ]);
  });
});
