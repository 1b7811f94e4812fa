import { useEffect, useSyncExternalStore } from "react";

/** What the window is called: the view, of what, and whose program it is. */
export function titleOf(...parts: string[]): string {
  return [...parts.filter(Boolean), "Neat Verdict"].join(" · ");
}

let announced = "";
const hearers = new Set<() => void>();

/** A keyboard goes on from the heading of the view that was opened; who types meanwhile, as in the search, goes on typing. */
function focusHeading(): void {
  const heading = document.querySelector<HTMLElement>("#content h1");
  if (!heading || document.activeElement?.matches("input, textarea, select") || window.location.hash) return;
  heading.tabIndex = -1;
  heading.focus();
}

/** Calls the window after the view; whoever hears the page is said the new name, but for that of the page that was loaded. */
export function useTitle(...parts: string[]): void {
  const title = titleOf(...parts);
  useEffect(() => {
    const loaded = document.title === titleOf();
    document.title = title;
    if (loaded) return;
    announced = title;
    hearers.forEach((hear) => hear());
    focusHeading();
  }, [title]);
}

export function useAnnounced(): string {
  return useSyncExternalStore(
    (hear) => {
      hearers.add(hear);
      return () => hearers.delete(hear);
    },
    () => announced,
  );
}
