/** What an element that was pointed at should be: a form in the bar, which keeps what was typed until it has been taken. */
import { button, make } from "./bar";
import type { Change, Place } from "./changes";
import { placeOf, type Finding } from "./elements";

type Kind = Exclude<Change["kind"], "css">;
type Fields = Record<string, HTMLInputElement | HTMLTextAreaElement | HTMLSelectElement>;

const KINDS: Record<Kind, { title: string; of?: string }> = {
  text: { title: "Another text" },
  style: { title: "Colour, size and the like" },
  hide: { title: "Hidden" },
  move: { title: "Moved" },
  link: { title: "Another target of the link", of: "a" },
  picture: { title: "Another picture", of: "img" },
  insert: { title: "A piece of HTML" },
};
const PLACES: Record<string, string> = {
  before: "before it",
  after: "after it",
  first: "at its beginning",
  last: "at its end",
};

export interface Form {
  element: HTMLElement;
  /** Where a moved element goes. */
  goesTo: (element: Element) => void;
  /** What was not taken, of which field. */
  refuse: (errors: { field: string; message: string }[]) => void;
}

export interface Asking {
  finding: Finding;
  keep: (change: Change) => void;
  cancel: () => void;
  /** Another element is to be pointed at: where a moved one goes. */
  pointOn: () => void;
}

let forms = 0;

export function formOf(element: Element, { finding, keep, cancel, pointOn }: Asking): Form {
  const place = placeOf(element, finding);
  const id = `form-${++forms}`;
  const said = make("p", { class: "wrong", role: "alert", id });
  let to: Place | undefined;
  let fields: Fields = {};
  const target = make("span", { class: "quiet" }, "nowhere yet");

  const labelled = (label: string, field: Fields[string], name: string): HTMLElement => {
    field.setAttribute("aria-describedby", id);
    fields[name] = field;
    return make("label", {}, label, field);
  };
  const input = (name: string, label: string, value: string, placeholder = "") =>
    labelled(label, Object.assign(make("input", { placeholder }), { value }), name);
  const lines = (name: string, label: string, value: string, placeholder = "") =>
    labelled(label, Object.assign(make("textarea", { rows: "3", placeholder }), { value }), name);
  const choice = (name: string, label: string, options: Record<string, string>) =>
    labelled(
      label,
      make("select", {}, ...Object.entries(options).map(([value, text]) => make("option", { value }, text))),
      name,
    );

  const { color, backgroundColor, fontSize } = getComputedStyle(element);
  const parts: Record<Kind, () => HTMLElement[]> = {
    text: () => [lines("text", "What it says", finding.textOf(element))],
    style: () => [
      input("color", "Colour of the text", "", color),
      input("background-color", "Colour behind", "", backgroundColor),
      input("font-size", "Size of the text", "", fontSize),
      lines("styles", "Further styles, one a line", "", "border-radius: 8px"),
    ],
    hide: () => [],
    move: () => [
      choice("place", "Where", { before: "before", after: "after" }),
      make("p", {}, button("Point at where it goes", pointOn), " ", target),
    ],
    link: () => [input("href", "Where it leads", element.getAttribute("href") ?? "")],
    picture: () => [
      input("src", "Address of the picture", element.getAttribute("src") ?? ""),
      input("alt", "What the picture shows", element.getAttribute("alt") ?? ""),
    ],
    insert: () => [
      choice("place", "Where", PLACES),
      lines("html", "HTML, without scripts and styles", "", "<p>Calm sea today</p>"),
    ],
  };
  const value = (name: string) => fields[name]?.value.trim() ?? "";

  function changeOf(kind: Kind): Change | undefined {
    const find: Place = {
      ...place,
      name: value("name"),
      selectors: value("selectors").split("\n").map((line) => line.trim()).filter(Boolean),
    }; // prettier-ignore
    switch (kind) {
      case "text":
        return { kind, find, text: fields.text?.value ?? "" };
      case "style":
        return { kind, find, styles: stylesOf(["color", "background-color", "font-size"].map((name) => [name, value(name)]), value("styles")) }; // prettier-ignore
      case "hide":
        return { kind, find };
      case "move":
        return to && { kind, find, place: value("place") === "after" ? "after" : "before", to };
      case "link":
        return { kind, find, href: value("href") };
      case "picture":
        return { kind, find, src: value("src"), alt: value("alt") };
      case "insert":
        return { kind, find, place: value("place") as "first", html: value("html") };
    }
  }

  const kinds = Object.entries(KINDS).filter(([, { of }]) => !of || element.matches(of));
  const kind = choice("kind", "What changes", Object.fromEntries(kinds.map(([name, { title }]) => [name, title])));
  const chosen = () => value("kind") as Kind;
  const first = make(
    "div",
    { class: "fields" },
    input("name", "What it is called", place.name),
    lines("selectors", "Where it is: CSS selectors, one a line", place.selectors.join("\n")),
  );
  const own = make("div", { class: "fields" });
  const always = { ...fields };
  const draw = () => {
    fields = { ...always };
    own.replaceChildren(...parts[chosen()]());
    said.textContent = "";
  };
  kind.addEventListener("change", draw);
  draw();
  const found = make("details", {}, make("summary", {}, "How it is found"), first);
  const made = make(
    "form",
    { class: "panel", "aria-label": "The change" },
    make("h2", {}, place.name),
    kind,
    own,
    found,
    said,
    make("p", {}, make("button", { class: "first" }, "Save the change"), " ", button("Cancel", cancel)),
  );
  made.addEventListener("submit", (event) => {
    event.preventDefault();
    said.textContent = "";
    const change = changeOf(chosen());
    if (change) keep(change);
    else said.textContent = "Point at where it goes first.";
  });
  if (!place.selectors.length && !place.says) {
    said.textContent = "The page gives no way to find this again. Point at what is around it.";
  }
  return {
    element: made,
    goesTo(other) {
      to = placeOf(other, finding);
      target.textContent = to.name;
    },
    refuse: (errors) => {
      found.open ||= errors.some(({ field }) => /\.(find|to)\b/.test(field));
      said.textContent = errors.map(({ message }) => message).join("; ");
    },
  };
}

/** "color: red" a line, after those that have fields of their own. */
function stylesOf(own: string[][], further: string): Record<string, string> {
  const lines = further.split("\n").map((line) => {
    const [name = "", ...rest] = line.replace(/;\s*$/, "").split(":");
    return [name.trim().toLowerCase(), rest.join(":").trim()];
  });
  return Object.fromEntries([...own, ...lines].filter(([name, value]) => name && value)) as Record<string, string>;
}
