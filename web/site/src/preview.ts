/**
 * A part that is loaded with a preview only: says on the page what is being looked at, and leads back; in a frame it reports
 * to the page around it instead. It stands on nothing of the page: its styles are its own, and no policy of the page need allow them.
 */

import type { State } from "./changes";

export interface Look {
  /** What is shown: a variant, with the names of its parameters; or why nothing is. */
  variant?: string;
  name?: string;
  until?: string;
  parameters?: string[];
  problem?: string;
  script: string;
  framed: boolean;
}

export interface Shown {
  /** The page has asked for a parameter. */
  read(parameter: string): void;
  /** What became of the changes on the page, in their order. */
  changed(states: State[]): void;
}

const STYLES = `
:host { all: initial; position: fixed; inset: auto 0 0 0; z-index: 2147483647; }
div { display: flex; flex-wrap: wrap; align-items: center; gap: 4px 14px; padding: 8px 16px; background: #fff;
  border-top: 3px solid #432f66; color: #16211f; font: 14px/1.35 system-ui, sans-serif; }
b { font-weight: 650; }
.quiet { color: #52605e; }
.wrong { color: #a3213f; }
button { margin-left: auto; padding: 4px 12px; border: 1px solid #432f66; border-radius: 3px; background: none; color: inherit;
  font: inherit; cursor: pointer; }
button:focus-visible { outline: 2px solid #432f66; outline-offset: 2px; }
@media print { :host { display: none; } }
`;

export function show(look: Look, leave: () => void): Shown {
  const read = new Set<string>();
  let changes: State[] = [];
  const missing = (): string[] => (look.parameters ?? []).filter((name) => !read.has(name));
  const bar = look.framed ? undefined : drawn(look, leave);
  const say = () => {
    if (look.framed)
      parent.postMessage({ neat: "preview", ...look, read: [...read], missing: missing(), changes }, "*");
    if (bar) bar.textContent = [words(look, missing()), changesInWords(changes)].filter(Boolean).join(" ");
  };
  say();
  return {
    read(parameter) {
      if (read.has(parameter)) return;
      read.add(parameter);
      say();
    },
    changed(states) {
      changes = states;
      say();
    },
  };
}

function words(look: Look, missing: string[]): string {
  if (look.problem || !look.parameters?.length) return "";
  return missing.length
    ? `This page has not asked for: ${missing.join(", ")}`
    : "All of its parameters are in use here.";
}

const WHY = { absent: "not found", several: "found more than once", failed: "failed" };

function changesInWords(states: State[]): string {
  if (!states.length) return "";
  const not = states.flatMap((state, at) => (state === "made" ? [] : [`${at + 1}: ${WHY[state]}`]));
  const made = states.length - not.length;
  return `${made} of ${states.length} changes made${not.length ? ` (${not.join(", ")})` : ""}.`;
}

/** The bar; answers with the place for what the page has asked for. */
function drawn(look: Look, leave: () => void): HTMLElement {
  const host = document.createElement("neat-preview");
  host.setAttribute("role", "region");
  host.setAttribute("aria-label", "Preview");
  const root = host.attachShadow({ mode: "open" });
  const sheet = new CSSStyleSheet();
  sheet.replaceSync(STYLES);
  root.adoptedStyleSheets = [sheet];
  const bar = document.createElement("div");
  const add = (tag: string, text: string, name = "") => {
    const made = document.createElement(tag);
    made.textContent = text;
    made.className = name;
    bar.append(made);
    return made;
  };
  if (look.problem) add("span", look.problem, "wrong");
  else {
    add("b", `Preview of ${look.variant}, ${look.name}`);
    const until = look.until
      ? new Date(look.until).toLocaleDateString(undefined, { day: "numeric", month: "long" })
      : "";
    add("span", `Nothing you do here is counted.${until ? ` Opens until ${until}.` : ""}`, "quiet");
  }
  const asked = add("span", "", "quiet");
  add("button", "Leave the preview").addEventListener("click", leave);
  root.append(bar);
  document.documentElement.append(host);
  return asked;
}
