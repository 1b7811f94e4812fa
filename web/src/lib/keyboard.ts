import { useEffect, useRef } from "react";
import { usePreferences } from "../api/preferences";

export type Keymap = Record<string, () => void>;

function isTyping(target: EventTarget | null): boolean {
  return (
    target instanceof HTMLElement &&
    (target.isContentEditable ||
      ["INPUT", "TEXTAREA", "SELECT"].includes(target.tagName) ||
      !!target.closest("[role=dialog], [role=menu], [role=listbox]"))
  );
}

/** What opens over whatever one is at. */
const WHILE_TYPING = ["ctrl+k"];

/**
 * Page keys, such as { "/": …, "g d": …, "ctrl+z": … }. None but those of `WHILE_TYPING` works while typing. Those without Ctrl do nothing for who has switched
 * them off (WCAG 2.2, 2.1.4), but for those that `always` do.
 */
export function useKeys(keymap: Keymap, always: string[] = []): void {
  // Until it is known what somebody wants, a key that may be switched off does nothing.
  const off = usePreferences()?.shortcuts !== "on";
  const current = useRef(keymap);
  useEffect(() => {
    const works = ([keys]: [string, unknown]) => !off || keys.startsWith("ctrl+") || always.includes(keys);
    current.current = Object.fromEntries(Object.entries(keymap).filter(works));
  });
  useEffect(() => {
    let before = "";
    const listen = (event: KeyboardEvent) => {
      const held = event.ctrlKey || event.metaKey;
      const key = held ? `ctrl+${event.key}` : event.key;
      if (event.altKey || event.defaultPrevented || (isTyping(event.target) && !WHILE_TYPING.includes(key))) return;
      const action = current.current[`${before} ${key}`] ?? current.current[key];
      before = key;
      if (!action) return;
      event.preventDefault();
      before = "";
      action();
    };
    window.addEventListener("keydown", listen);
    return () => window.removeEventListener("keydown", listen);
  }, []);
}
