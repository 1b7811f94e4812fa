import { configure } from "@testing-library/react";
import { afterEach } from "vitest";

// What a browser remembers is of one test.
afterEach(() => {
  localStorage.clear();
  sessionStorage.clear();
});

/** Runs before the modules under test are loaded, so that none of them keeps hold of a real fetch. */
export const server: { answer: typeof fetch } = {
  answer: (input) => {
    throw new Error(`unforeseen request: ${input instanceof Request ? input.url : String(input)}`);
  },
};
globalThis.fetch = (input, init) => server.answer(input, init);

/** jsdom lays nothing out, so widths stay what the parts start from. */
class StillObserver implements ResizeObserver {
  observe = () => undefined;
  unobserve = () => undefined;
  disconnect = () => undefined;
}
globalThis.ResizeObserver = StillObserver;

// It does not scroll either.
window.scrollTo = () => undefined;

// jsdom has no CSS object; identifiers of the tests need no escaping.
Object.assign(globalThis, { CSS: { escape: (identifier: string) => identifier } });

// A test waits for what it waits for, not for the pace of the machine: one second is not enough on a busy one.
configure({ asyncUtilTimeout: 20_000 });
