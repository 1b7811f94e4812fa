import { describe, expect, it } from "vitest";
import { fieldWords } from "./fieldWords";

describe("what is wrong with a part of a list", () => {
  it.each([
    ["variants.1.page changes.0.html (<script>) is not taken", "B, change 1: html (<script>) is not taken"],
    ["variants.0.name (empty) must say what is shown", "A: name (empty) must say what is shown"],
    ["metrics.2.margin (2) must lie between 0 and 1", "metric 3: margin (2) must lie between 0 and 1"],
    ["steps.1 (x) must be a day", "step 2: (x) must be a day"],
    ["page (empty) must be an address, such as /a.1.html", "page (empty) must be an address, such as /a.1.html"],
    ["confidence (1.5) must lie between 0 and 1", "confidence (1.5) must lie between 0 and 1"],
  ])("is said by its place in words: %s", (message, words) => {
    expect(fieldWords(message)).toBe(words);
  });
});
