/**
 * A part that is loaded with a preview only: says on the page what is being looked at, and leads back; in a frame it reports
 * to the page around it instead.
 */

import { button, host, make } from "./bar";
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
  const until = look.until
    ? ` Opens until ${new Date(look.until).toLocaleDateString(undefined, { day: "numeric", month: "long" })}.`
    : "";
  const asked = make("span", { class: "quiet" });
  const said = look.problem
    ? [make("span", { class: "wrong" }, look.problem)]
    : [
        make("b", {}, `Preview of ${look.variant}, ${look.name}`),
        make("span", { class: "quiet" }, `Nothing you do here is counted.${until}`),
      ];
  const bar = make("div", { class: "bar" }, ...said, asked, button("Leave the preview", leave, { class: "last" }));
  host("neat-preview", "Preview").append(bar);
  return asked;
}
