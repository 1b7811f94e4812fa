/**
 * What our bars on a page have in common. They stand on nothing of the page: their styles are their own, and no policy of the
 * page need allow them.
 */

const STYLES = `
:host { all: initial; position: fixed; inset: auto 0 0 0; z-index: 2147483647; }
.bar { display: flex; flex-wrap: wrap; align-items: center; gap: 4px 14px; padding: 8px 16px; background: #fff;
  border-top: 3px solid #432f66; color: #16211f; font: 14px/1.35 system-ui, sans-serif; }
b { font-weight: 650; }
.quiet { color: #52605e; }
.wrong { color: #a3213f; }
.last { margin-left: auto; }
button { padding: 4px 12px; border: 1px solid #432f66; border-radius: 3px; background: none; color: #16211f;
  font: inherit; cursor: pointer; }
button:focus-visible, a:focus-visible { outline: 2px solid #432f66; outline-offset: 2px; }
@media print { :host { display: none; } }
`;

/** The element of ours with this name at the end of the page, with a tree of its own that the page's styles do not reach. */
export function host(tag: string, label: string, styles = ""): ShadowRoot {
  document.querySelector(tag)?.remove(); // asked for once more, as where more is known of the visitor
  const made = document.createElement(tag);
  made.setAttribute("role", "region");
  made.setAttribute("aria-label", label);
  const root = made.attachShadow({ mode: "open" });
  const sheet = new CSSStyleSheet();
  sheet.replaceSync(STYLES + styles);
  root.adoptedStyleSheets = [sheet];
  document.documentElement.append(made);
  return root;
}

type Attributes = Record<string, string | boolean | undefined>;

/** An element with attributes and what it holds; texts are texts, whatever stands in them. */
export function make<K extends keyof HTMLElementTagNameMap>(
  tag: K,
  attributes: Attributes = {},
  ...content: (Node | string)[]
): HTMLElementTagNameMap[K] {
  const made = document.createElement(tag);
  for (const [name, value] of Object.entries(attributes)) {
    if (value !== undefined && value !== false) made.setAttribute(name, value === true ? "" : value);
  }
  made.append(...content);
  return made;
}

/** A button that does something. */
export function button(text: string, act: () => void, attributes: Attributes = {}): HTMLButtonElement {
  const made = make("button", { type: "button", ...attributes }, text);
  made.addEventListener("click", act);
  return made;
}
