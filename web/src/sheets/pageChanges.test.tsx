import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import type { Experiment, PageChange } from "../api/client";
import { keys } from "../api/keys";
import { experiment, serve, SESSION, show, variant } from "../test/kit";
import { PageChanges } from "./brief/PageChanges";
import { changeOf, KINDS, typed } from "./brief/pageChanges";
import { EditingProvider } from "./editing";

afterEach(cleanup);
const PATH = "/experiments/fare-calendar";
const find = { selectors: ["#search", "main > button"], name: "Button" };
const ONE_OF_EACH: PageChange[] = [
  { kind: "text", find, text: "Find", on: true },
  { kind: "picture", find, src: "/a.jpg", alt: "a deck", on: false },
  { kind: "link", find, href: "/b", on: true },
  { kind: "style", find, styles: { color: "red", "font-size": "18px" }, on: true },
  { kind: "hide", find, on: true },
  { kind: "move", find, place: "after", to: { selectors: ["h1"], name: "Heading" }, on: true },
  { kind: "insert", find, place: "last", html: "<p>x</p>", on: true },
  { kind: "css", css: "h1 { color: teal }", on: true },
];

function open(changes: PageChange[], more: Partial<Experiment> = {}) {
  const words = changes.map((change, at) => `Change ${at + 1}: ${change.kind}`);
  const b = variant("B", "Calendar first", { page_changes: changes, page_changes_in_words: words });
  const c = variant("C", "Map", { page_changes: ONE_OF_EACH.slice(0, 2), page_changes_in_words: ["C1", "C2"] });
  const variants = [variant("A", "List first"), b, c];
  const known = experiment({ data_from: "events", page: "https://www.tidewick.example/", variants, ...more });
  show(
    <EditingProvider experiment={known}>
      <PageChanges variant={b} index={1} />
    </EditingProvider>,
    {
      known: [
        [keys.session, SESSION],
        [keys.experiment(known.key), known],
      ],
    },
  );
}

const saved = (body: unknown) => (body as { changes: { variants: { page_changes: PageChange[] }[] } }).changes.variants;
const fill = (label: string, value: string) => fireEvent.change(screen.getByLabelText(label), { target: { value } });

describe("a change on the page", () => {
  it.each(ONE_OF_EACH)("is the same after it was opened and saved: $kind", (change) => {
    expect(changeOf(typed(change))).toEqual(change);
  });

  it("is offered in every kind", () => {
    expect(Object.keys(KINDS).sort()).toEqual(ONE_OF_EACH.map((change) => change.kind).sort());
  });

  it("sends what is no style as it was typed, so that it is named when it is refused", () => {
    const given = { ...typed(), kind: "style" as const, styles: "Color: red;\nbackground-color:rgb(0, 0, 0)\nlarger" };
    expect(changeOf(given)).toMatchObject({ styles: { color: "red", "background-color": "rgb(0, 0, 0)", larger: "" } });
  });

  it("is written, and what was typed stays until it is accepted", async () => {
    const message = "find.selectors.0 (#a{}) must be a CSS selector";
    const sent = `variants.1.page changes.0.${message}`; // as the server writes the field
    const calls = serve({
      [`PATCH ${PATH}`]: [
        { status: 422, body: { errors: [{ field: "variants.1.page_changes.0.find.selectors.0", message: sent }] } },
        { body: experiment({ version: 4 }) },
      ],
    });
    open([]);
    fireEvent.click(screen.getByText("Add a change"));
    fill("What it is called", "Button “Search”");
    fill("Where it is: CSS selectors, one a line", "#a{}\n\n main button ");
    fill("What it says", "Find my ferry");
    fireEvent.click(screen.getByText("Save the change"));
    await screen.findByText(message);
    expect(screen.getByLabelText("What it says")).toHaveProperty("value", "Find my ferry");
    fireEvent.click(screen.getByText("Save the change"));
    await waitFor(() => expect(screen.queryByText("Save the change")).toBeNull());
    expect(saved(calls[0]?.body)[1]?.page_changes).toEqual([
      {
        kind: "text",
        find: { selectors: ["#a{}", "main button"], name: "Button “Search”" },
        text: "Find my ferry",
        on: true,
      },
    ]);
  });

  it("is switched off, moved, edited, removed, and those of another variant are taken over", async () => {
    const two = ONE_OF_EACH.slice(4, 6);
    const steps: [() => void, (PageChange["kind"] | "off")[]][] = [
      [() => fireEvent.click(screen.getByLabelText("Change 1: hide")), ["off", "move"]],
      [() => fireEvent.click(screen.getByLabelText("Change 2 of B up")), ["move", "hide"]],
      [() => fireEvent.click(screen.getByLabelText("Remove change 1 of B")), ["move"]],
      [() => fireEvent.click(screen.getByText("Copy those of C")), ["hide", "move", "text", "off"]],
    ];
    for (const [act, kinds] of steps) {
      const calls = serve({ [`PATCH ${PATH}`]: [{ body: experiment({ version: 4 }) }] });
      open(two);
      act();
      await waitFor(() => expect(calls).toHaveLength(1));
      const after = saved(calls[0]?.body)[1]?.page_changes ?? [];
      expect(after.map((one) => (one.on ? one.kind : "off"))).toEqual(kinds);
      cleanup();
    }
  });

  it("needs the address of a page", () => {
    open([], { page: "" });
    expect(screen.getByText(/Give the address of the page/)).toBeTruthy();
    expect(screen.queryByText("Add a change")).toBeNull();
  });

  it("is locked after the start", () => {
    open(ONE_OF_EACH, { rule_locked_at: "2026-03-02T08:00:00Z", state: "running" });
    expect(screen.getByLabelText("Change 1: text")).toHaveProperty("disabled", true);
    expect(screen.queryByText("Add a change")).toBeNull();
  });
});
