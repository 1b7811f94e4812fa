/** How an element that was pointed at is found again, and what it is called. */
import type { altered, Place } from "./changes";

/** What finding needs of the script (`changes.ts`), whose copy of it is the one that will look. */
export interface Finding {
  find: (place: Pick<Place, "selectors" | "says">) => Element | "absent" | "several";
  textOf: (element: Element) => string;
  altered: typeof altered;
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
  ["summary", "Fold"],
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
    (submit || (label ? wordsOf(label, textOf) : wordsOf(element, textOf)));
  if (!words.trim()) return element.id ? `${kind} ${element.id}`.slice(0, 120) : `${kind} without words`;
  return `${kind} “${words.length > MAX_NAME ? `${words.slice(0, MAX_NAME - 1).trimEnd()}…` : words}”`;
}

/** What is said in it, without what can be chosen or typed there. */
function wordsOf(element: Element, textOf: Finding["textOf"]): string {
  if (element.matches("select, textarea")) return "";
  const copy = element.cloneNode(true) as Element;
  copy.querySelectorAll("select, textarea").forEach((field) => field.remove());
  return textOf(copy);
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

/** What can be pressed. */
const PRESSED = "a, button, input, select, textarea, label, summary, [role=button], [role=link], [role=tab], [onclick]";
/** Marks what is never sent of: its clicks, and its place in an outline. */
const PRIVATE = "[data-neat-private]";

/**
 * By what clicks are counted: the thing that was pressed, by its id or its place alone, so that nothing that a page says of a
 * visitor is in it; "" for what is not to be sent. The place is that on the page without our changes: what one variant inserts
 * or moves does not give other elements another key than they have in control.
 */
export function keyOf(target: Element, finding: Finding): string {
  const element = target.closest(PRESSED) ?? target;
  if (element.closest(PRIVATE)) return "";
  const named = ["data-testid", "data-test"].flatMap((name) => {
    const value = element.getAttribute(name) ?? "";
    return STEADY.test(value) ? [`${element.localName}[${name}="${value}"]`] : [];
  });
  const alone = [byId(element), ...named].find(
    (selector) => selector && finding.find({ selectors: [selector] }) === element,
  );
  const key = alone ?? placeBefore(element, finding.altered);
  return key.length <= MAX_SELECTOR ? key : "";
}

/** As `byPosition`, of the page without our changes; within what was inserted, from there. */
function placeBefore(element: Element, { inserted, moved, stood }: Finding["altered"]): string {
  const steps: string[] = [];
  for (let at: Element | null = element; at;) {
    const number = inserted.get(at);
    if (number !== undefined) {
      const own = [...(at.parentElement?.children ?? [])].filter((one) => inserted.get(one) === number);
      return [
        `inserted ${number}`,
        own.length > 1 ? `${at.localName} ${own.indexOf(at) + 1}` : at.localName,
        ...steps,
      ].join(" > ");
    }
    const known: string = at === element ? "" : byId(at);
    if (known || at.matches("body, main")) return [known || at.localName, ...steps].join(" > ");
    const here: Element = at;
    const place: Element | Comment = moved.get(here) ?? here;
    const alike = [...(place.parentNode?.childNodes ?? [])].filter((node) => {
      const one = node instanceof Comment ? stood.get(node) : node;
      const own = one instanceof Element && one.localName === here.localName && !inserted.has(one);
      return own && (node instanceof Comment || !moved.has(one));
    });
    steps.unshift(alike.length > 1 ? `${here.localName}:nth-of-type(${alike.indexOf(place) + 1})` : here.localName);
    at = place.parentElement;
  }
  return "";
}

export interface Outlined {
  key: string;
  name: string;
  x: number;
  y: number;
  width: number;
  height: number;
}

const DRAWN = `${PRESSED}, h1, h2, h3, h4, p, li, img, video, table`;
const MAX_DRAWN = 300; // as the server takes them

/** The elements of the page and where they stand, in pixels from its beginning. */
export function outlineOf(finding: Finding): Outlined[] {
  const elements = [...document.body.querySelectorAll(DRAWN)].filter(
    (one) => !("checkVisibility" in one) || one.checkVisibility(), // older browsers do not know what is folded away
  );
  return elements
    .map((element) => {
      const { left, top, width, height } = element.getBoundingClientRect();
      const [x, y] = [left + scrollX, top + scrollY].map((at) => Math.max(Math.round(at), 0)) as [number, number];
      return {
        key: keyOf(element, finding),
        name: nameOf(element, finding.textOf),
        x,
        y,
        width: Math.round(width),
        height: Math.round(height),
      };
    })
    .filter(({ key, width, height }) => key && width > 4 && height > 4)
    .filter(({ key }, at, all) => all.findIndex((other) => other.key === key) === at)
    .slice(0, MAX_DRAWN);
}
