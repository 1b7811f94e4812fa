import type { KeyboardEvent } from "react";
import { useKeys } from "../lib/keyboard";

function links(): HTMLElement[] {
  return [...document.querySelectorAll<HTMLElement>("[data-docket-row]")];
}

function move(step: number) {
  const rows = links();
  const here = rows.indexOf(document.activeElement as HTMLElement);
  rows[here === -1 ? (step > 0 ? 0 : rows.length - 1) : Math.min(Math.max(here + step, 0), rows.length - 1)]?.focus();
}

/** Arrow keys walk along the rows; Enter follows the link that has the focus. */
export function useRowKeys() {
  useKeys({ ArrowDown: () => move(1), ArrowUp: () => move(-1) }, ["ArrowDown", "ArrowUp"]);
  return (event: KeyboardEvent) => {
    if (event.key === "Home") links()[0]?.focus();
    if (event.key === "End") links().at(-1)?.focus();
  };
}
