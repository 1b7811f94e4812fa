import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { altered, find, textOf } from "./changes";
import { keyOf } from "./elements";
import { follow } from "./use";

interface Sent {
  key: string;
  unit: string;
  uses: { experiment: string; variant: string; device: string; depth: number; seconds: number[]; clicked: string[] }[];
}

const FINDING = { altered, find, textOf };
const PAGE = `<main><h1>Where to?</h1><button id="search"><b>Search</b></button>
  <a href="/account?of=mia" aria-label="Signed in as Mia">Account</a>
  <div data-neat-private><button id="pay">Pay with card 4711</button></div>
  <form><input name="email" value="mia@tidewick.example"></form><p id="text">Calm <em>sea</em></p></main>`;
let sent: Sent[];
let stop: (sending: boolean) => void;
let fails: boolean;

function laidOut({ at = 0, high = 480, whole = 2000, wide = 390 } = {}): void {
  Object.defineProperty(document.documentElement, "scrollHeight", { value: whole, configurable: true });
  vi.stubGlobal("innerHeight", high);
  vi.stubGlobal("innerWidth", wide);
  vi.stubGlobal("scrollY", at);
  window.dispatchEvent(new Event("scroll"));
}

const shown = (how: string) => {
  Object.defineProperty(document, "visibilityState", { value: how, configurable: true });
  document.dispatchEvent(new Event("visibilitychange"));
};
const click = (selector: string) =>
  document.querySelector(selector)?.dispatchEvent(new MouseEvent("click", { bubbles: true, composed: true }));
const pass = (seconds: number) => vi.advanceTimersByTime(seconds * 1_000);

beforeEach(() => {
  vi.useFakeTimers();
  document.body.innerHTML = PAGE;
  sent = [];
  fails = false;
  navigator.sendBeacon = (_address, body) => !fails && sent.push(JSON.parse(body as string) as Sent) > 0;
  laidOut();
  shown("visible");
  const followed = [
    { experiment: "fare-calendar", variant: "B" },
    { experiment: "greeting", variant: "A" },
  ];
  stop = follow({ address: "https://verdict.example", key: "nvsite_x", unit: "v1", followed, finding: FINDING });
});

afterEach(() => {
  stop(false);
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

describe("a visitor who is followed", () => {
  it("is sent when the page is hidden: clicks, the depth, and seconds in view of each tenth", () => {
    pass(3);
    laidOut({ at: 920 }); // from 46 to 70 %
    pass(2);
    laidOut({ at: 0 });
    click("b");
    click("#text em");
    shown("hidden");
    expect(sent).toEqual([
      {
        key: "nvsite_x",
        unit: "v1",
        uses: ["B", "A"].map((variant) => ({
          experiment: variant === "B" ? "fare-calendar" : "greeting",
          variant,
          device: "phone",
          depth: 7,
          seconds: [3, 3, 0, 0, 0, 2, 2, 0, 0, 0],
          clicked: ["#search", "#text > em"],
        })),
      },
    ]);
  });

  it("is sent what is new only, and the depth as it is by then", () => {
    pass(2);
    shown("hidden");
    shown("visible");
    shown("hidden");
    expect(sent).toHaveLength(1);
    shown("visible");
    pass(1);
    laidOut({ at: 1520 });
    window.dispatchEvent(new Event("pagehide"));
    expect(sent[1]?.uses[0]).toMatchObject({ depth: 10, seconds: [1, 1, 0, 0, 0, 0, 0, 0, 0, 0] });
  });

  it("is sent who only came, too", () => {
    shown("hidden");
    expect(sent[0]?.uses[0]).toMatchObject({ depth: 2, clicked: [] });
  });

  it("counts nothing as in view while the page is hidden, or half a minute after the last sign of anybody", () => {
    pass(100);
    window.dispatchEvent(new Event("pointermove"));
    pass(5);
    shown("hidden");
    pass(60);
    shown("visible");
    shown("hidden");
    expect(sent.map(({ uses }) => uses[0]?.seconds[0])).toEqual([35]);
  });

  it("keeps what could not be sent for the next time", () => {
    fails = true;
    pass(2);
    shown("hidden");
    fails = false;
    shown("visible");
    pass(1);
    shown("hidden");
    expect(sent[0]?.uses[0]?.seconds[0]).toBe(3);
  });

  it("on a wide page has a computer", () => {
    stop(false);
    laidOut({ wide: 1280 });
    stop = follow({
      address: "",
      key: "",
      unit: "v1",
      followed: [{ experiment: "x", variant: "A" }],
      finding: FINDING,
    });
    shown("hidden");
    expect(sent[0]?.uses[0]?.device).toBe("computer");
  });

  it("is followed no more once that has ended", () => {
    stop(false);
    click("#search");
    pass(5);
    shown("hidden");
    window.dispatchEvent(new Event("pagehide"));
    expect(sent).toEqual([]);
  });

  it("is sent once more where following ends on the page, unless it must not be", () => {
    click("#search");
    stop(true);
    expect(sent[0]?.uses[0]?.clicked).toEqual(["#search"]);
  });

  it("sends no word of the page, nothing that was typed, and nothing of what is marked as private", () => {
    for (const element of document.querySelectorAll("*"))
      element.dispatchEvent(new MouseEvent("click", { composed: true, bubbles: true }));
    shown("hidden");
    expect(sent[0]?.uses[0]?.clicked).toContain("main > a");
    expect(JSON.stringify(sent)).not.toMatch(/mia|signed|calm|where|4711|account|pay/i);
    expect(keyOf(document.querySelector("a") as Element, FINDING)).toBe("main > a");
  });
});
