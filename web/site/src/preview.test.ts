import { afterEach, describe, expect, it, vi } from "vitest";
import { altered, find, textOf } from "./changes";
import { show, type Look } from "./preview";

const LOOK: Look = {
  variant: "B", name: "Calendar first", until: "2026-04-06T12:00:00Z", parameters: ["begin", "fares"], script: "1.1.0",
  framed: false, finding: { altered, find, textOf },
}; // prettier-ignore

// The simulated browser has no such sheets; that they hold under a strict policy is tested in Chromium.
CSSStyleSheet.prototype.replaceSync = () => undefined;

const root = () => document.querySelector("neat-preview")?.shadowRoot;

afterEach(() => {
  document.querySelector("neat-preview")?.remove();
  vi.restoreAllMocks();
});

describe("the bar of a preview", () => {
  it("names the variant, and what the page has not asked for", () => {
    const shown = show(LOOK, () => undefined);
    expect(root()?.textContent).toContain("Preview of B, Calendar first");
    expect(root()?.textContent).toContain("has not asked for: begin, fares");
    shown.read("begin");
    expect(root()?.textContent).toContain("has not asked for: fares");
    shown.read("fares");
    expect(root()?.textContent).toContain("All of its parameters are in use here");
  });

  it("is one, however often it is asked for", () => {
    show(LOOK, () => undefined);
    show({ ...LOOK, variant: "C" }, () => undefined);
    expect(document.querySelectorAll("neat-preview")).toHaveLength(1);
    expect(root()?.textContent).toContain("Preview of C");
  });

  it("leads back", () => {
    const leave = vi.fn();
    show(LOOK, leave);
    root()?.querySelector("button")?.click();
    expect(leave).toHaveBeenCalledOnce();
  });

  it("says why there is nothing to see", () => {
    show(
      { problem: "This preview has expired.", script: "1.1.0", framed: false, finding: { altered, find, textOf } },
      () => undefined,
    );
    expect(root()?.textContent).toBe("This preview has expired.Leave the preview");
  });

  it("is not drawn in a frame, which reports to the page around it", () => {
    const posted = vi.spyOn(window.parent, "postMessage").mockImplementation(() => undefined);
    show({ ...LOOK, framed: true }, () => undefined).read("fares");
    expect(root()).toBeUndefined();
    expect(posted.mock.calls.map(([said]) => said as object)).toMatchObject([
      { neat: "preview", variant: "B", script: "1.1.0", read: [], missing: ["begin", "fares"] },
      { read: ["fares"], missing: ["begin"] },
    ]);
  });

  it("sends from a frame, once the page is still, where its elements stand, and none that are marked as private", async () => {
    vi.useFakeTimers();
    const posted = vi.spyOn(window.parent, "postMessage").mockImplementation(() => undefined);
    Element.prototype.getBoundingClientRect = () => ({ left: 10, top: 20.4, width: 200, height: 30 }) as DOMRect;
    document.body.innerHTML = `<main><h1 id="top">Where to?</h1><div data-neat-private><p>Signed in as Mia</p></div>
      <form><input name="email" value="mia@tidewick.example"></form></main>`;
    show({ ...LOOK, framed: true }, () => undefined);
    await vi.advanceTimersByTimeAsync(1_500);
    const said = posted.mock.calls.map(([one]) => one as { neat: string }).filter(({ neat }) => neat === "outline");
    const box = { x: 10, y: 20, width: 200, height: 30 };
    expect(said).toMatchObject([
      {
        variant: "B",
        elements: [
          { key: "#top", name: "Heading “Where to?”", ...box },
          { key: "main > form > input", name: "Field without words", ...box },
        ],
      },
    ]);
    expect(JSON.stringify(said)).not.toMatch(/[Mm]ia/);
    vi.useRealTimers();
  });
});
