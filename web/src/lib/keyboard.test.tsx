import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { afterEach, describe, expect, it, vi } from "vitest";
import { keys } from "../api/keys";
import { SESSION } from "../test/kit";
import { useKeys, type Keymap } from "./keyboard";

afterEach(cleanup);

function Keyed({ keymap }: { keymap: Keymap }) {
  useKeys(keymap);
  return <input aria-label="field" />;
}

function open(session: unknown) {
  const run = { n: vi.fn(), undo: vi.fn(), find: vi.fn() };
  const cache = new QueryClient({ defaultOptions: { queries: { retry: false, staleTime: Infinity, enabled: false } } });
  if (session) cache.setQueryData(keys.session, session);
  render(
    <QueryClientProvider client={cache}>
      <Keyed keymap={{ n: run.n, "ctrl+z": run.undo, "ctrl+k": run.find }} />
    </QueryClientProvider>,
  );
  return run;
}

const press = (at: Window | HTMLElement) => {
  fireEvent.keyDown(at, { key: "n" });
  fireEvent.keyDown(at, { key: "z", ctrlKey: true });
  fireEvent.keyDown(at, { key: "k", ctrlKey: true });
};
const times = (run: ReturnType<typeof open>) => [run.n, run.undo, run.find].map((one) => one.mock.calls.length);

describe("keys of a page", () => {
  it("rest while somebody types, but for the one that opens the search", () => {
    const run = open(SESSION);
    press(window);
    expect(times(run)).toEqual([1, 1, 1]);
    press(screen.getByLabelText("field"));
    expect(times(run)).toEqual([1, 1, 2]);
  });

  it("without Ctrl do nothing until it is known whether they may", () => {
    const run = open(undefined);
    press(window);
    expect(times(run)).toEqual([0, 1, 1]);
  });
});
