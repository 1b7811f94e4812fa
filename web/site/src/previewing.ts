/** Whether this page is looked at by a link to a preview, or changed by one from the Brief, and by which. */
import { writeCookie } from "./cookies";

const NAME = "neat_preview"; // in the address, then in a cookie for the pages that follow
const SECONDS = 3600;

/** A frame shows what its address says, and nothing of it stays: several variants stand next to one another. */
export const framed = (): boolean => window.parent !== window;

/** The token of the link, "" for a usual visit. */
export function previewToken(kept: Map<string, string>): string {
  const given = new URLSearchParams(location.search).get(NAME);
  if (framed()) return given ?? "";
  if (given) writeCookie(NAME, encodeURIComponent(given), SECONDS, "");
  return given ?? decodeURIComponent(kept.get(NAME) ?? "");
}

/** Back to a usual visit, of the same page. */
export function leavePreview(): void {
  writeCookie(NAME, "", 0, "");
  const usual = new URL(location.href);
  usual.searchParams.delete(NAME);
  location.replace(usual);
}

const POINTING = "neat_point";

/** The token of a link by which a variant is changed on the page, "" for none; it stays with the tab, and out of its address. */
export function pointingToken(): string {
  if (framed()) return "";
  const address = new URL(location.href);
  const given = address.searchParams.get(POINTING);
  if (given === null) return sessionStorage.getItem(POINTING) ?? "";
  try {
    sessionStorage.setItem(POINTING, given);
  } catch {
    // Where nothing may be kept, the link holds for this page.
  }
  address.searchParams.delete(POINTING);
  history.replaceState(history.state, "", address);
  return given;
}

/** Back to a usual visit, of the same page. */
export function leavePointing(): void {
  Object.keys(sessionStorage)
    .filter((name) => name.startsWith(POINTING))
    .forEach((name) => sessionStorage.removeItem(name));
  location.reload();
}
