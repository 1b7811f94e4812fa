import { cleanup, render, screen, waitFor } from "@testing-library/react";
import { lazy, Suspense, useState } from "react";
import { MemoryRouter } from "react-router";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { Boundary } from "./Boundary";

let broken = true;

function Figure() {
  if (broken) throw new TypeError("Cannot read properties of undefined (reading 'lift')");
  return <p>+4.2%</p>;
}

const Gone = lazy(() =>
  Promise.reject<{ default: () => null }>(
    new TypeError("Failed to fetch dynamically imported module: http://h/assets/EvidenceSheet-1.js"),
  ),
);

beforeEach(() => {
  broken = true;
  vi.spyOn(console, "error").mockImplementation(() => undefined); // React says each error once more
});
afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
  vi.unstubAllGlobals();
  document.head.innerHTML = "";
});

const shown = (child: React.ReactNode, at = "/") => (
  <MemoryRouter>
    <h1>Fare calendar</h1>
    <Boundary at={at}>{child}</Boundary>
  </MemoryRouter>
);

describe("what fails while it is drawn", () => {
  it("says so at its place, and the rest of the page stays", () => {
    render(shown(<Figure />));
    expect(screen.getByRole("heading", { name: "Fare calendar" })).toBeTruthy();
    expect(screen.getByRole("alert").textContent).toContain("TypeError: Cannot read properties of undefined");
    expect(screen.getByRole("link", { name: "To the docket" }).getAttribute("href")).toBe("/");
  });

  it("is drawn when it is tried again", () => {
    render(shown(<Figure />));
    broken = false;
    screen.getByRole("button", { name: "Try again" }).click();
    return waitFor(() => expect(screen.getByText("+4.2%")).toBeTruthy());
  });

  it("is forgotten at another place, and not at the same", async () => {
    const { rerender } = render(shown(<Figure />, "/a"));
    broken = false;
    rerender(shown(<Figure />, "/a"));
    expect(screen.queryByText("+4.2%")).toBeNull();
    rerender(shown(<Figure />, "/b"));
    await waitFor(() => expect(screen.getByText("+4.2%")).toBeTruthy());
  });

  it("may be shown in another way", () => {
    function Whole() {
      const [at] = useState("/");
      return (
        <Boundary at={at} instead={(error) => <main>{error.message}</main>}>
          <Figure />
        </Boundary>
      );
    }
    render(<Whole />);
    expect(screen.getByRole("main").textContent).toContain("reading 'lift'");
  });
});

describe("a part of the program that is gone", () => {
  const page = (script: string) => `<html><head><script type="module" src="${script}"></script></head></html>`;
  const serve = (answer: () => Promise<Response>) => vi.stubGlobal("fetch", vi.fn(answer));
  const loaded = () => {
    document.head.innerHTML = `<script type="module" src="/static/index-1.js"></script>`;
    render(shown(<Suspense fallback="…"><Gone /></Suspense>)); // prettier-ignore
  };

  it.each([
    [
      "another version is served",
      () => Promise.resolve(new Response(page("/static/index-2.js"))),
      "A new version is here",
    ],
    ["the same is served", () => Promise.resolve(new Response(page("/static/index-1.js"))), "It did not come through"],
    ["nothing is served", () => Promise.reject(new TypeError("Failed to fetch")), "The server does not answer"],
  ])("says what to do when %s", async (_, answer, words) => {
    serve(answer);
    loaded();
    await waitFor(() => expect(screen.getByRole("alert").textContent).toContain(words));
    expect(screen.getByRole("button", { name: "Reload" })).toBeTruthy();
  });
});
