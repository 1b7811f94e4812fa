/** How an element that was pointed at is found again, and what it is called. */
import type { Place } from "./changes";

/** What finding needs of the script (`changes.ts`), whose copy of it is the one that will look. */
export interface Finding {
  find: (place: Pick<Place, "selectors" | "says">) => Element | "absent" | "several";
  textOf: (element: Element) => string;
}

const MAX_SELECTOR = 300; // as the server takes them
const MAX_SELECTORS = 4;
const MAX_NAME = 40;
const ATTRIBUTES = ["data-testid", "data-test", "name", "for", "aria-label", "href", "alt", "title", "type"];
const STEADY = /^[A-Za-z][A-Za-z_-]*\d{0,2}$/; // what is numbered through or made by a program changes with the next build
const NOT_TAKEN = /[{}<;@]/;

const KINDS: [selector: string, name: string][] = [
  ["button, [role=button], input[type=submit], input[type=button], input[type=reset]", "Button"],
  ["a", "Link"],
  ["h1, h2, h3, h4, h5, h6, [role=heading]", "Heading"],
  ["img, picture, svg", "Picture"],
  ["input, select, textarea", "Field"],
  ["label", "Label"],
  ["nav", "Menu"],
  ["ul, ol, dl", "List"],
  ["li", "Line"],
  ["table", "Table"],
  ["form", "Form"],
  ["p", "Text"],
];

/** Where the element is, in ways that find it alone; those first that are likely to hold longest. */
export function placeOf(element: Element, { find, textOf }: Finding): Place {
  const alone = (selector: string) =>
    selector.length <= MAX_SELECTOR && !NOT_TAKEN.test(selector) && find({ selectors: [selector] }) === element;
  const selectors = [byId(element), ...byAttributes(element), ...byClasses(element), byPosition(element)]
    .filter((selector) => selector !== "")
    .filter(alone)
    .slice(0, MAX_SELECTORS);
  const text = textOf(element);
  const says = text.length <= 200 && find({ selectors: [], says: text }) === element ? { says: text } : {};
  return { selectors, ...says, name: nameOf(element, textOf) };
}

/** What the element is called by a reader: its kind, and the words it is known by; nothing that was typed into it. */
export function nameOf(element: Element, textOf: Finding["textOf"]): string {
  const kind = KINDS.find(([selector]) => element.matches(selector))?.[1] ?? "Part";
  const submit = element instanceof HTMLInputElement && kind === "Button" ? element.value : "";
  const label = (element as HTMLInputElement).labels?.[0];
  const words =
    element.getAttribute("aria-label") ??
    element.getAttribute("alt") ??
    (submit || (label ? textOf(label) : element.matches("select, textarea") ? "" : textOf(element)));
  if (!words.trim()) return element.id ? `${kind} ${element.id}`.slice(0, 120) : `${kind} without words`;
  return `${kind} “${words.length > MAX_NAME ? `${words.slice(0, MAX_NAME - 1).trimEnd()}…` : words}”`;
}

const byId = ({ id }: Element): string => (STEADY.test(id) ? `#${CSS.escape(id)}` : "");

function byAttributes(element: Element): string[] {
  return ATTRIBUTES.flatMap((name) => {
    const value = element.getAttribute(name);
    return value ? [`${element.localName}[${name}=${JSON.stringify(value)}]`] : [];
  });
}

function byClasses(element: Element): string[] {
  const steady = [...element.classList].filter((name) => STEADY.test(name)).map((name) => `.${CSS.escape(name)}`);
  return steady.length ? [`${element.localName}${steady.join("")}`] : [];
}

/** From the nearest part of the page that is known by its id or as a landmark, step by step. */
function byPosition(element: Element): string {
  const steps: string[] = [];
  for (let at: Element | null = element; at; at = at.parentElement) {
    const known = at === element ? "" : byId(at);
    if (known || at.matches("body, main")) return [known || at.localName, ...steps].join(" > ");
    const alike = [...(at.parentElement?.children ?? [])].filter(({ localName }) => localName === at?.localName);
    steps.unshift(alike.length > 1 ? `${at.localName}:nth-of-type(${alike.indexOf(at) + 1})` : at.localName);
  }
  return "";
}
