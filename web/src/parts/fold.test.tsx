import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { useState } from "react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { keys } from "../api/keys";
import type { Preferences } from "../api/preferences";
import { PREFERENCES, serve, SESSION, show } from "../test/kit";
import { useKeys } from "../lib/keyboard";
import { Look } from "../accounts/Look";
import { Panel } from "./basics";

const made = vi.fn();

function Inside() {
  const [text, setText] = useState("");
  made();
  return <input aria-label="Remark" value={text} onChange={(event) => setText(event.target.value)} />;
}

function known(changes: Partial<Preferences>): [readonly unknown[], unknown][] {
  return [[keys.session, { ...SESSION, preferences: { ...PREFERENCES, ...changes } }]];
}

const panel = (
  <Panel fold="segments" title="Segments" note="exploratory" line="no segment differs">
    <Inside />
  </Panel>
);
const folded = (address = "/") => show(panel, { address, known: known({ panels: "folded" }) });
const button = () => screen.getByRole("button", { name: "Segments" });

beforeEach(() => {
  localStorage.clear();
  made.mockClear();
  Element.prototype.scrollIntoView = vi.fn();
});
afterEach(cleanup);

describe("a panel that folds", () => {
  it("says what is in it in a line, and makes it only when it is opened", () => {
    folded();
    expect(screen.getByText("no segment differs")).toBeTruthy();
    expect(made).not.toHaveBeenCalled();
    fireEvent.click(button());
    expect(button().getAttribute("aria-expanded")).toBe("true");
    expect(screen.getByRole("textbox", { name: "Remark" })).toBeTruthy();
    expect(screen.getByText("exploratory")).toBeTruthy();
  });

  it("loses nothing that was typed when it is folded", () => {
    folded();
    fireEvent.click(button());
    fireEvent.change(screen.getByRole("textbox"), { target: { value: "on phones" } });
    fireEvent.click(button());
    expect(screen.queryByRole("textbox")).toBeNull();
    fireEvent.click(button());
    expect(screen.getByRole<HTMLInputElement>("textbox").value).toBe("on phones");
  });

  it("is open for who prefers that, and afterwards as it was left last", () => {
    show(panel, { known: known({ panels: "open" }) });
    expect(button().getAttribute("aria-expanded")).toBe("true");
    fireEvent.click(button());
    cleanup();
    show(panel, { known: known({ panels: "open" }) });
    expect(button().getAttribute("aria-expanded")).toBe("false");
  });

  it("is opened by an address that ends with its name, and can be folded there", () => {
    folded("/#segments");
    expect(button().getAttribute("aria-expanded")).toBe("true");
    fireEvent.click(button());
    expect(button().getAttribute("aria-expanded")).toBe("false");
  });

  it("works in a browser that stores nothing", () => {
    const refused = () => {
      throw new DOMException("denied", "SecurityError");
    };
    vi.spyOn(Storage.prototype, "getItem").mockImplementation(refused);
    vi.spyOn(Storage.prototype, "setItem").mockImplementation(refused);
    folded();
    fireEvent.click(button());
    expect(button().getAttribute("aria-expanded")).toBe("true");
    vi.restoreAllMocks();
  });
});

describe("look and keys", () => {
  const jump = vi.fn();
  function Page() {
    useKeys({ n: jump, ArrowDown: jump, "ctrl+z": jump }, ["ArrowDown"]);
    return <Look />;
  }

  it("holds a choice at once, and what the server refuses is as before, with the reason", async () => {
    const calls = serve({
      "PATCH /me/preferences": [
        { body: { ...PREFERENCES, density: "compact" } },
        { status: 503, body: { title: "The server is busy; try again" } },
      ],
    });
    show(<Look />, { known: known({}) });
    const spacing = screen.getByRole<HTMLSelectElement>("combobox", { name: "Spacing" });
    fireEvent.change(spacing, { target: { value: "compact" } });
    await waitFor(() => expect(calls).toHaveLength(1));
    expect(calls[0]?.body).toEqual({ density: "compact" });
    expect(spacing.value).toBe("compact");
    fireEvent.change(screen.getByRole("combobox", { name: "Colours" }), { target: { value: "dark" } });
    expect((await screen.findByRole("alert")).textContent).toContain("busy");
    expect(screen.getByRole<HTMLSelectElement>("combobox", { name: "Colours" }).value).toBe("system");
    expect(spacing.value).toBe("compact");
  });

  it.each([
    { shortcuts: "on", works: ["n", "ArrowDown", "z"] },
    { shortcuts: "off", works: ["ArrowDown", "z"] },
  ] as const)("with single keys $shortcuts, $works do something", ({ shortcuts, works }) => {
    show(<Page />, { known: known({ shortcuts }) });
    for (const key of ["n", "ArrowDown", "z"]) {
      jump.mockClear();
      fireEvent.keyDown(document.body, { key, ctrlKey: key === "z" });
      expect(jump).toHaveBeenCalledTimes((works as readonly string[]).includes(key) ? 1 : 0);
    }
  });
});
