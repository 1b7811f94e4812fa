/** Pages that are held back until it is known what is shown, and ways from one page to another. */
import type { Change } from "./changes";
import { writeCookie } from "./cookies";

declare global {
  interface Window {
    /** The site's own, from its snippet: the page is not drawn until `end`, and never longer than the time-out. */
    neatHold?: { end: () => void; over?: boolean };
  }
}

/** What an experiment between pages does on this one. */
export interface Passage {
  experiment: string;
  variant: string;
  reason: string;
  /** All of its visitors come to this page. */
  here: boolean;
  /** Where this visitor is sent; "" stays. */
  to: string;
  counts: boolean;
  /** A variant is a page of its own, so that arriving is said. */
  between: boolean;
  /** What its variant changes here. */
  changes: Change[];
}

const MOVED = "neat_moved";
const SECONDS = 10; // within which somebody who is here once more was sent back
const GONE = 4_000; // by then another page has come, or none does

/** What identifies this page: its query says where somebody comes from, and is no part of it. */
export const thisPage = (): string => location.origin + (location.pathname.replace(/\/+$/, "") || "/");

/** Fowler, Noll and Vo's FNV-1a of 32 bits. */
export function pageHash(page: string): number {
  return new TextEncoder().encode(page).reduce((hash, byte) => Math.imul(hash ^ byte, 0x01000193), 0x811c9dc5) >>> 0;
}

/** Draw the page now, if it is held back. */
export function release(): void {
  window.neatHold?.end();
}

/** By which experiments this visitor was sent on a moment ago. */
const sentBy = (kept: Map<string, string>): string[] => (kept.get(MOVED) ?? "").split(".").filter(Boolean);

/** Whether an experiment would send this visitor on once more: the other page, or the experiment of another page, sends back. */
export const wasSentBack = (kept: Map<string, string>, experiment: string): boolean =>
  sentBy(kept).includes(experiment);

/** The address of a page, with the query and the fragment that somebody came with; its own stay. */
export function carried(to: string, came: URL | Location): URL {
  const target = new URL(to);
  const own = new Set(target.searchParams.keys());
  for (const [name, value] of new URLSearchParams(came.search)) {
    if (!own.has(name)) target.searchParams.append(name, value);
  }
  target.hash ||= came.hash;
  return target;
}

/** What the cookie keeps once an experiment has sent the visitor on. */
export const withSender = (kept: Map<string, string>, experiment: string): string =>
  [...sentBy(kept), experiment].join(".");

/** Send the visitor on. */
export function sendOn({ experiment, to }: Passage, kept: Map<string, string>): void {
  writeCookie(MOVED, withSender(kept, experiment), SECONDS, "");
  hide();
  location.replace(carried(to, location));
}

/** Nothing of this page is seen until the other is there, or does not come. */
function hide(): void {
  const sheet = new CSSStyleSheet();
  sheet.replaceSync("html{opacity:0!important}");
  document.adoptedStyleSheets.push(sheet);
  setTimeout(() => {
    document.adoptedStyleSheets = document.adoptedStyleSheets.filter((one) => one !== sheet);
  }, GONE);
}
