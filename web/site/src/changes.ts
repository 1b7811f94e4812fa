/** What a variant changes on the page (docs/page-changes.md): made as elements come, and never twice. */

export interface Place {
  selectors: string[];
  /** What the element says, for where no selector finds it. */
  says?: string;
  name: string;
}

export type Change =
  | { kind: "text"; find: Place; text: string }
  | { kind: "picture"; find: Place; src: string; alt: string }
  | { kind: "link"; find: Place; href: string }
  | { kind: "style"; find: Place; styles: Record<string, string> }
  | { kind: "hide"; find: Place }
  | { kind: "move"; find: Place; place: "before" | "after"; to: Place }
  | { kind: "insert"; find: Place; place: "before" | "after" | "first" | "last"; html: string }
  | { kind: "css"; css: string };

/** What became of a change: made, or why not. */
export type State = "made" | "absent" | "several" | "failed";

/** What has been put into the page and moved on it, so that its elements are known as they were without that. */
export const altered = {
  /** By what was inserted: the number of the change. */
  inserted: new WeakMap<Element, number>(),
  /** By what was moved, and back: a comment where it stood. */
  moved: new WeakMap<Element, Comment>(),
  stood: new WeakMap<Comment, Element>(),
};

const LATE = 2_000; // after the page is there, elements may still come

/**
 * Make changes now and as the page goes on. `end` is called once, with the state of each, when they are all made or the page has
 * been there for two seconds; what comes later is made too. Answers with what stops looking.
 */
export function change(changes: Change[], end: (states: State[]) => void): () => void {
  const made = changes.map((): WeakSet<Element> => new WeakSet());
  const states = changes.map((): State => "absent");
  let ended = false;
  const looking = new MutationObserver(() => look());

  const finish = () => {
    if (ended) return;
    ended = true;
    end([...states]);
  };

  function look(): void {
    looking.disconnect(); // what is done here is no news
    changes.forEach((one, at) => {
      try {
        states[at] = make(one, at + 1, made[at] as WeakSet<Element>, states[at] as State);
      } catch {
        states[at] = "failed";
      }
    });
    looking.observe(document, { childList: true, subtree: true });
    if (states.every((state) => state === "made")) finish();
  }

  look();
  const later = () => setTimeout(finish, LATE);
  if (document.readyState === "complete") later();
  else addEventListener("load", later, { once: true });
  return () => looking.disconnect();
}

/** The element of a place: of the first selector that finds one only; of none, the only one that says what it says. */
export function find({ selectors, says }: Pick<Place, "selectors" | "says">): Element | "absent" | "several" {
  let several = false;
  const isOne = (found: ArrayLike<Element>) => {
    several ||= found.length > 1;
    return found.length === 1;
  };
  for (const selector of selectors) {
    const found = document.querySelectorAll(selector);
    if (isOne(found)) return found[0] as Element;
  }
  const saying = says ? sayingElements(says) : [];
  if (isOne(saying)) return saying[0] as Element;
  return several ? "several" : "absent";
}

const SAYING = "a,button,label,summary,legend,h1,h2,h3,h4,h5,h6,p,li,dt,dd,th,td,span,[role]";

/** What an element says, however it is broken into lines. */
export const textOf = (element: Element): string => (element.textContent ?? "").replace(/\s+/g, " ").trim();

/** Those that say just that, the innermost. */
function sayingElements(says: string): Element[] {
  const all = [...document.querySelectorAll(SAYING)].filter((element) => textOf(element) === says);
  return all.filter((element) => !all.some((other) => other !== element && element.contains(other)));
}

function make(one: Change, number: number, made: WeakSet<Element>, before: State): State {
  if (one.kind === "css") {
    if (before !== "made") wear(one.css);
    return "made";
  }
  const element = find(one.find);
  if (typeof element === "string") return before === "made" && element === "absent" ? before : element;
  if (made.has(element)) return "made";
  if (one.kind === "move") {
    const to = find(one.to);
    if (typeof to === "string") return to;
    if (element.contains(to)) return "failed";
    if (!altered.moved.has(element)) {
      const place = document.createComment("");
      element.before(place);
      altered.moved.set(element, place);
      altered.stood.set(place, element);
    }
    to[one.place](element);
  } else {
    act(one, number, element);
  }
  made.add(element);
  return "made";
}

function act(one: Exclude<Change, { kind: "css" | "move" }>, number: number, element: Element): void {
  switch (one.kind) {
    case "text":
      element.textContent = one.text;
      break;
    case "picture":
      // Other sizes of the picture that was there would be shown in its place.
      element.removeAttribute("srcset");
      element
        .closest("picture")
        ?.querySelectorAll("source")
        .forEach((source) => source.remove());
      element.setAttribute("src", one.src);
      element.setAttribute("alt", one.alt);
      break;
    case "link":
      element.setAttribute("href", one.href);
      break;
    case "style":
      for (const [name, value] of Object.entries(one.styles)) {
        (element as HTMLElement).style.setProperty(name, value, "important");
      }
      break;
    case "hide":
      (element as HTMLElement).style.setProperty("display", "none", "important");
      break;
    case "insert": {
      const piece = document.createElement("template");
      piece.innerHTML = one.html;
      [...piece.content.children].forEach((child) => altered.inserted.set(child, number));
      const where = { before: "before", after: "after", first: "prepend", last: "append" } as const;
      element[where[one.place]](piece.content);
    }
  }
}

/** Styles that no policy of the page forbids. */
function wear(css: string): void {
  const sheet = new CSSStyleSheet();
  sheet.replaceSync(css);
  document.adoptedStyleSheets.push(sheet);
}
