import type { PageChange } from "../../api/client";

/** A change as it is typed; fields that its kind does not have stay as they are. */
export interface Typed {
  kind: PageChange["kind"];
  selectors: string;
  name: string;
  text: string;
  src: string;
  alt: string;
  href: string;
  styles: string;
  place: "before" | "after" | "first" | "last";
  toSelectors: string;
  toName: string;
  says: string;
  toSays: string;
  html: string;
  css: string;
  on: boolean;
}

type Part = Exclude<keyof Typed, "kind" | "on" | "place">;
interface Kind {
  title: string;
  fields: Part[];
  places?: { value: Typed["place"]; label: string }[];
}

const OF_ELEMENT: Part[] = ["name", "selectors", "says"];
const EITHER_SIDE: Kind["places"] = [
  { value: "before", label: "before" },
  { value: "after", label: "after" },
];

/** What can be changed, in the order in which it is offered. */
export const KINDS: Record<PageChange["kind"], Kind> = {
  text: { title: "Another text", fields: [...OF_ELEMENT, "text"] },
  style: { title: "Colour, size and the like", fields: [...OF_ELEMENT, "styles"] },
  hide: { title: "Hidden", fields: OF_ELEMENT },
  move: { title: "Moved", fields: [...OF_ELEMENT, "toName", "toSelectors", "toSays"], places: EITHER_SIDE },
  link: { title: "Another target of a link", fields: [...OF_ELEMENT, "href"] },
  picture: { title: "Another picture", fields: [...OF_ELEMENT, "src", "alt"] },
  insert: {
    title: "A piece of HTML",
    fields: [...OF_ELEMENT, "html"],
    places: [...EITHER_SIDE, { value: "first", label: "at its beginning" }, { value: "last", label: "at its end" }],
  },
  css: { title: "Styles for the page", fields: ["css"] },
};

export const FIELDS: Record<Part, { label: string; placeholder: string; lines?: number }> = {
  name: { label: "What it is called", placeholder: "Button “Search sailings”" },
  selectors: { label: "Where it is: CSS selectors, one a line", placeholder: "#search", lines: 2 },
  text: { label: "What it says", placeholder: "Find my ferry" },
  says: { label: "What it says, where no selector finds it", placeholder: "Search sailings" },
  styles: { label: "Styles, one a line", placeholder: "background-color: #1b6aa5", lines: 3 },
  toName: { label: "Before or after what", placeholder: "Table of fares" },
  toSelectors: { label: "Where that is: CSS selectors, one a line", placeholder: "#fares", lines: 2 },
  toSays: { label: "What that says, where no selector finds it", placeholder: "" },
  href: { label: "Where it leads", placeholder: "/islands" },
  src: { label: "Address of the picture", placeholder: "/pictures/deck.jpg" },
  alt: { label: "What the picture shows", placeholder: "The deck on a calm day" },
  html: { label: "HTML, without scripts and styles", placeholder: "<p>Calm sea today</p>", lines: 4 },
  css: { label: "CSS, which loads nothing", placeholder: "h1 { color: teal }", lines: 4 },
};

const EMPTY: Typed = {
  kind: "text", selectors: "", name: "", text: "", src: "", alt: "", href: "", styles: "", place: "before",
  toSelectors: "", toName: "", says: "", toSays: "", html: "", css: "", on: true,
}; // prettier-ignore

/** A change to be edited; an empty one without any. */
export function typed(change?: PageChange): Typed {
  if (!change) return EMPTY;
  const made: Typed = { ...EMPTY, kind: change.kind, on: change.on ?? true };
  if (change.kind === "css") return { ...made, css: change.css };
  const found = {
    ...made,
    selectors: change.find.selectors.join("\n"),
    says: change.find.says ?? "",
    name: change.find.name,
  };
  switch (change.kind) {
    case "text":
      return { ...found, text: change.text };
    case "picture":
      return { ...found, src: change.src, alt: change.alt ?? "" };
    case "link":
      return { ...found, href: change.href };
    case "style":
      return { ...found, styles: Object.entries(change.styles).map((one) => one.join(": ")).join("\n") }; // prettier-ignore
    case "hide":
      return found;
    case "move":
      return {
        ...found,
        place: change.place,
        toSelectors: change.to.selectors.join("\n"),
        toSays: change.to.says ?? "",
        toName: change.to.name,
      };
    case "insert":
      return { ...found, place: change.place, html: change.html };
  }
}

/** As it is sent. */
export function changeOf(given: Typed): PageChange {
  const { kind, on } = given;
  const find = placeOf(given.selectors, given.says, given.name);
  switch (kind) {
    case "text":
      return { kind, find, text: given.text, on };
    case "picture":
      return { kind, find, src: given.src.trim(), alt: given.alt, on };
    case "link":
      return { kind, find, href: given.href.trim(), on };
    case "style":
      return { kind, find, styles: stylesOf(given.styles), on };
    case "hide":
      return { kind, find, on };
    case "move":
      return { kind, find, place: sideOf(given.place), to: placeOf(given.toSelectors, given.toSays, given.toName), on };
    case "insert":
      return { kind, find, place: given.place, html: given.html, on };
    case "css":
      return { kind, css: given.css, on };
  }
}

const sideOf = (place: Typed["place"]) => (place === "after" ? "after" : "before");
const lines = (text: string) => text.split("\n").map((line) => line.trim()).filter(Boolean); // prettier-ignore

function placeOf(selectors: string, says: string, name: string) {
  const said = says.replace(/\s+/g, " ").trim();
  return { selectors: lines(selectors), ...(said ? { says: said } : {}), name: name.trim() };
}

/** "color: red" a line; what has no colon is sent as it is, so that it is named when it is refused. */
function stylesOf(text: string): Record<string, string> {
  return Object.fromEntries(
    lines(text).map((line) => {
      const [name = "", ...value] = line.replace(/;$/, "").split(":");
      return [name.trim().toLowerCase(), value.join(":").trim()];
    }),
  );
}
