import { useEffect, useRef } from "react";

export type Keymap = Record<string, () => void>;

function isTyping(target: EventTarget | null): boolean {
  return (
    target instanceof HTMLElement &&
    (target.isContentEditable ||
      ["INPUT", "TEXTAREA", "SELECT"].includes(target.tagName) ||
      !!target.closest("[role=dialog], [role=menu], [role=listbox]"))
  );
}

/** Page keys, such as { "/": …, "g d": … }. None works while typing, nor with Ctrl, Alt or Meta, but for "ctrl+z". */
export function useKeys(keymap: Keymap): void {
  const current = useRef(keymap);
  useEffect(() => {
    current.current = keymap;
  });
  useEffect(() => {
    let before = "";
    const listen = (event: KeyboardEvent) => {
      if (isTyping(event.target) || event.altKey || event.defaultPrevented) return;
      const held = event.ctrlKey || event.metaKey;
      const key = held ? `ctrl+${event.key}` : event.key;
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
