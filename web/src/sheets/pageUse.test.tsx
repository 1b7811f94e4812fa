import { cleanup, fireEvent, screen, within } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import type { DeviceUse, PageUse } from "../api/client";
import { keys } from "../api/keys";
import { experiment, SESSION, show, variant } from "../test/kit";
import { Outlines } from "./brief/page/Outlines";
import { EditingProvider } from "./editing";
import { PageUsePanel } from "./evidence/pageUse/PageUsePanel";
import { points, shareText } from "../lib/shares";

afterEach(cleanup);
const apart = (value: number, clear: boolean) => ({
  value, low: value - 0.03, high: value + 0.03, adjusted: clear ? 0.004 : 0.4, clear,
}); // prettier-ignore
const box = { x: 20, y: 300, width: 120, height: 40 };
const outline = (letter: string) => ({
  letter, width: 390, height: 2000, taken_at: "2026-04-01T12:00:00Z",
  elements: [{ key: "#search", name: "Button “Search”", ...box }],
}); // prettier-ignore
const PHONE: DeviceUse = {
  device: "phone",
  units: [200, 100],
  more: 3,
  elements: [
    { key: "#search", name: "Button “Search”", clicked: [80, 46], differences: [apart(0.06, true)] },
    { key: "#calendar", name: "Button “Dates”", clicked: [null, 9], differences: [null] },
    { key: "#rare", name: "Link “Rare”", clicked: [2, 1], differences: [null] },
    { key: "#old", name: "Link “Old way”", clicked: [4, null], differences: [null] },
  ],
  tenths: Array.from({ length: 10 }, (_, at) => ({
    reached: [200 - 20 * at, 100 - 5 * at],
    seconds: [10 - at, 5],
    differences: [apart(0.01, false)],
  })),
  outlines: [outline("A"), outline("B")],
};
const NOBODY: DeviceUse = { ...PHONE, device: "computer", units: [0, 0], elements: [], outlines: [] };
const USE: PageUse = {
  page: "https://www.tidewick.example/", share: 0.25, full: false, letters: ["A", "B"], devices: [PHONE, NOBODY],
}; // prettier-ignore

function open(use: PageUse, more = {}) {
  const variants = [variant("A", "List first"), variant("B", "Calendar first")];
  const known = experiment({ data_from: "events", page: USE.page, variants, ...more });
  show(
    <EditingProvider experiment={known}>
      <PageUsePanel />
    </EditingProvider>,
    {
      known: [
        [keys.session, SESSION],
        [keys.pageUse(known.key), use],
      ],
    },
  );
}

const row = (text: string) => screen.getByText(text).closest("tr") as HTMLElement;

describe("the outlines of a variant on the Brief", () => {
  it("are those of the variant, each with its device and when it was taken", () => {
    show(<Outlines experiment="fare-calendar" letter="B" />, {
      known: [
        [keys.session, SESSION],
        [keys.pageUse("fare-calendar"), USE],
      ],
    });
    expect(screen.getAllByRole("img").map((one) => one.getAttribute("aria-label"))).toEqual(["B in outline, phone"]);
    expect(screen.getByText(/^phone, 1 Apr/)).toBeTruthy();
    // The page alone, without clicks.
    expect(screen.getByRole("img").textContent).toContain("Search");
    expect(screen.getByRole("img").textContent).not.toContain("%");
  });
});

describe("what visitors did on the page", () => {
  it("is shares by element with the difference, and what one variant alone has is not compared", async () => {
    open(USE);
    expect(await screen.findByText(/a sample of 25% drawn by hash/)).toBeTruthy();
    expect(row("Button “Search”").textContent).toMatch(/40%46%\+6.0/);
    expect(within(row("Button “Dates”")).getByText("only in B")).toBeTruthy();
    expect(within(row("Link “Old way”")).getByText("not in B")).toBeTruthy();
    expect(within(row("Link “Rare”")).getByText("too few")).toBeTruthy();
    expect(screen.getByText("3 more were clicked by fewer.")).toBeTruthy();
  });

  it("says how far down half of each variant's visitors come", async () => {
    open(USE);
    // Of 200 a hundred still come to 60 %; of B's hundred 55 to the end.
    expect(
      await screen.findByText(/Half of them come down to 60% of the page in A, 100% of the page in B\./),
    ).toBeTruthy();
  });

  it("is drawn over the outlines, the most clicked named for who does not see them", async () => {
    open(USE);
    expect(await screen.findByRole("img", { name: "The page of B; most clicked: Button “Search”, 46%" })).toBeTruthy();
  });

  it("is by device, and says what to do without an outline, or before anybody came", async () => {
    open({ ...USE, devices: [{ ...PHONE, outlines: [] }, NOBODY] });
    expect(await screen.findByText(/No outline of the page yet/)).toBeTruthy();
    fireEvent.click(screen.getByRole("button", { name: "Computer 0" }));
    expect(screen.getByText(/Nobody has been followed/)).toBeTruthy();
  });

  it("says that more came than are followed", async () => {
    open({ ...USE, full: true });
    expect(await screen.findByText(/More came than are followed/)).toBeTruthy();
  });

  it.each([{ page: "" }, { data_from: "files" as const }])("is not there for an experiment with %j", (more) => {
    open(USE, more);
    expect(screen.queryByText(/Where they clicked/)).toBeNull();
  });

  it.each([
    [shareText(0.4), "40%"],
    [shareText(0.083), "8.3%"],
    [shareText(0), "0%"],
    [shareText(null), "–"],
    [points(0.0149), "+1.5"],
    [points(-0.021), "−2.1"],
    [points(0.0001), "0.0"],
  ])("has figures as they are read: %s", (text, expected) => {
    expect(text).toBe(expected);
  });
});
