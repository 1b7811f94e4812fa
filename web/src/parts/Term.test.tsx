import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import glossary from "../api/glossary.json";
import { Term } from "./Term";

afterEach(cleanup);

const SOURCES = import.meta.glob<string>("../**/*.tsx", { query: "?raw", import: "default", eager: true });

describe("a word that explains itself", () => {
  it.each([
    ["hover", fireEvent.mouseEnter, fireEvent.mouseLeave],
    ["focus", fireEvent.focus, fireEvent.blur],
    ["a tap", fireEvent.click, fireEvent.blur],
  ])("does so on %s, until it is left", (_, come, go) => {
    render(<Term name="Unsound">unsound</Term>);
    const word = screen.getByRole("button", { name: "unsound" });
    expect(screen.queryByRole("tooltip")).toBeNull();
    come(word);
    const shown = screen.getByRole("tooltip");
    expect(shown.textContent).toContain("contradict the design");
    expect(word.getAttribute("aria-describedby")).toBe(shown.id);
    go(word);
    expect(screen.queryByRole("tooltip")).toBeNull();
  });

  it("closes on Escape", () => {
    render(<Term name="Ramp" />);
    fireEvent.focus(screen.getByText("Ramp"));
    fireEvent.keyDown(screen.getByText("Ramp"), { key: "Escape" });
    expect(screen.queryByRole("tooltip")).toBeNull();
  });

  it("is in the glossary wherever it stands", () => {
    const known = new Set(glossary.map((term) => term.name));
    const used = Object.entries(SOURCES)
      .filter(([path]) => !path.includes(".test."))
      .flatMap(([, source]) => [...source.matchAll(/(?:<Term name|term)[=:] ?"([^"]+)"/g)].map((match) => match[1]));
    expect(used.length).toBeGreaterThan(10);
    expect(used.filter((word) => !known.has(word ?? ""))).toEqual([]);
  });
});
