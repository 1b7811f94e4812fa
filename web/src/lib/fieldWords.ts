import { LETTERS } from "../api/vocabulary";

const PARTS: Record<string, (at: number) => string> = {
  variants: (at) => LETTERS[at] ?? `variant ${at + 1}`,
  "page changes": (at) => `change ${at + 1}`,
};

/** A field of a list as a reader would name it: "variants.1.page changes.0.html (x) is not taken" → "B, change 1: html (x) is …". */
export function fieldWords(message: string): string {
  const names: string[] = [];
  let rest = message;
  for (;;) {
    const found = /^([a-z][a-z ]*)\.(\d+)(?:\.| (?=\())/.exec(rest);
    const [whole = "", list = "", at = ""] = found ?? [];
    if (!found) break;
    names.push(PARTS[list]?.(Number(at)) ?? `${list.replace(/s$/, "")} ${Number(at) + 1}`);
    rest = rest.slice(whole.length);
  }
  return names.length ? `${names.join(", ")}: ${rest}` : message;
}
