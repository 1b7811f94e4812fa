/**
 * A part that is loaded with a preview only: says on the page what is being looked at, and leads back; in a frame it reports
 * to the page around it instead.
 */

import { button, host, make } from "./bar";
import type { State } from "./changes";
import { outlineOf, type Finding } from "./elements";

export interface Look {
  /** What is shown: a variant, with the names of its parameters; or why nothing is. */
  variant?: string;
  name?: string;
  until?: string;
  parameters?: string[];
  problem?: string;
  script: string;
  framed: boolean;
  finding: Finding;
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
  const { finding, ...said } = look;
  const say = () => {
    if (look.framed)
      parent.postMessage({ neat: "preview", ...said, read: [...read], missing: missing(), changes }, "*");
    if (bar) bar.textContent = [words(look, missing()), changesInWords(changes)].filter(Boolean).join(" ");
  };
  say();
  if (look.framed && !look.problem) whenStill(() => sendOutline(look.variant ?? "", finding));
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

const STILL = 1_500; // after the page is there, until late elements have come and changes are made

function whenStill(then: () => void): void {
  const later = () => setTimeout(then, STILL);
  if (document.readyState === "complete") later();
  else addEventListener("load", later, { once: true });
}

/** Where the page's elements stand, for whoever shows it in a frame. */
function sendOutline(variant: string, finding: Finding): void {
  const { scrollWidth: width, scrollHeight: height } = document.documentElement;
  parent.postMessage({ neat: "outline", variant, width, height, elements: outlineOf(finding) }, "*");
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
