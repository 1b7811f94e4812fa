/**
 * A part that is loaded where somebody came by a link from the Brief: a bar by which elements are pointed at and changed. Each
 * change is sent as soon as it is made; the list is that of the variant, as the Brief has it.
 */
import { button, host, make } from "./bar";
import type { Change, change, State } from "./changes";
import { formOf, type Form } from "./pointForm";
import { nameOf, type Finding } from "./elements";
import { pointing } from "./pointer";

export interface Tools extends Finding {
  address: string;
  key: string;
  token: string;
  change: typeof change;
  leave: () => void;
}

type Line = Change & { on?: boolean };

/** What the server says of the variant. */
interface Shown {
  experiment: string;
  variant: string;
  name: string;
  page: string;
  version: number;
  changes: Line[];
  words: string[];
}

interface Refusal {
  status: number;
  title: string;
  errors?: { field: string; message: string }[];
}

/** What of this visit outlives a page that is loaded again: earlier lists, and whether the list is open. */
const PAST = "neat_point_past";
const MAX_PAST = 50;
const LIST = "neat_point_list";

const STYLES = `
.frame { position: fixed; pointer-events: none; border: 2px solid #432f66; background: #432f6618; border-radius: 2px; }
.panel { position: fixed; right: 12px; bottom: 64px; width: 340px; max-width: calc(100vw - 24px); max-height: calc(100vh - 90px);
  overflow: auto; box-sizing: border-box; padding: 12px 16px; background: #fff; color: #16211f; border: 1px solid #8a9793;
  border-radius: 4px; box-shadow: 0 4px 20px #16211f30; font: 14px/1.4 system-ui, sans-serif; }
.panel.left { right: auto; left: 12px; }
.panel[hidden] { display: none; }
h2 { margin: 0 0 8px; font-size: 15px; font-weight: 650; overflow-wrap: anywhere; }
p { margin: 8px 0; }
label { display: block; margin: 6px 0; color: #52605e; }
input:not([type=checkbox]), textarea, select { display: block; width: 100%; box-sizing: border-box; margin-top: 2px; padding: 5px 7px;
  border: 1px solid #75817e; border-radius: 3px; background: #fff; color: #16211f; font: inherit; }
input:focus-visible, textarea:focus-visible, select:focus-visible { outline: 2px solid #432f66; }
ol { margin: 0; padding: 0; list-style: none; }
li { display: flex; gap: 6px; align-items: baseline; padding: 6px 0; border-top: 1px solid #d9dfdd; }
li label { flex: 1; min-width: 0; margin: 0; color: #16211f; overflow-wrap: anywhere; }
li button { padding: 1px 8px; }
.off { text-decoration: line-through; color: #52605e; }
.first { background: #432f66; color: #fff; }
button:disabled { opacity: .5; cursor: default; }
`;

/** Whatever the page does with what is typed here. */
const KEPT_FROM_PAGE = ["keydown", "keyup", "keypress", "input", "paste", "copy", "cut"];

export async function begin(tools: Tools): Promise<void> {
  const root = host("neat-point", "Changing this page", STYLES);
  KEPT_FROM_PAGE.forEach((name) => root.host.addEventListener(name, (event) => event.stopPropagation()));
  const title = make("b", {}, "Changing this page");
  const status = make("span", { class: "quiet", role: "status" });
  const bar = make("div", { class: "bar" }, title, status);
  root.append(bar);
  let shown: Shown | undefined;
  const states: State[] = []; // of the changes that are on
  let form: Form | undefined;
  let list: HTMLElement | undefined;
  let endPointing: (() => void) | undefined;

  const point = button("Point at something", () => (endPointing ? stopPointing() : pick(edit)), {
    class: "last first",
  });
  const open = button("", () => showList(!list), { "aria-expanded": "false" });
  const undo = button("Undo", () => void back());
  const done = button("Done", tools.leave);

  /** Earlier lists, and that which is there now. */
  const withPresent = () => [...pastLists(), shown?.changes ?? []].slice(-MAX_PAST);

  const say = (text: string, wrong = false) => {
    status.textContent = text;
    status.className = wrong ? "wrong" : "quiet";
  };

  async function ask(body: object): Promise<Shown | Refusal> {
    try {
      const sent = JSON.stringify({ key: tools.key, token: tools.token, ...body });
      const answer = await fetch(`${tools.address}/site/v1/change`, { method: "POST", body: sent });
      const content = (await answer.json()) as Shown & Refusal;
      return answer.ok ? content : { ...content, status: answer.status };
    } catch {
      return { status: 0, title: "There is no answer; nothing of this was saved. Try again." };
    }
  }

  /** Send the list; whether it was taken. */
  async function save(changes: Line[]): Promise<boolean> {
    if (!shown) return false;
    say("Saving…");
    const answer = await ask({ version: shown.version, changes });
    if (!isRefusal(answer)) {
      shown = answer;
      say("Saved");
      return true;
    }
    if (form && answer.errors) form.refuse(answer.errors);
    say(answer.errors ? "Not saved" : answer.title, true);
    if (answer.status === 409) {
      // What is there by now; what was typed stays, to be saved again.
      const now = await ask({});
      if (!isRefusal(now)) shown = now;
      draw();
    }
    return false;
  }

  async function add(change: Change): Promise<void> {
    const place = (shown?.changes ?? []).filter(isOn).length; // among those that are made
    const kept = withPresent();
    if (!(await save([...(shown?.changes ?? []), change]))) return;
    store(PAST, JSON.stringify(kept));
    close();
    // Those that are there already stay as they are made.
    tools.change([change], ([state = "made"]) => {
      states[place] = state;
      draw();
    });
    draw();
  }

  /** Another list in place of this one: the page is made from the beginning. */
  async function replace(changes: Line[], past: () => Line[][]): Promise<void> {
    const kept = past();
    if (!(await save(changes))) return;
    store(PAST, JSON.stringify(kept));
    location.reload();
  }

  async function back(): Promise<void> {
    const last = pastLists().at(-1);
    if (last) await replace(last, () => pastLists().slice(0, -1));
  }

  function pick(then: (element: Element) => void): void {
    showList(false);
    point.textContent = "Stop pointing";
    say("Click on what should change; or arrow keys, then Enter. Escape leaves.");
    endPointing = pointing(root, {
      at: (element) => say(nameOf(element, tools.textOf)),
      picked: (element) => {
        stopPointing();
        then(element);
      },
      left: stopPointing,
    });
  }

  function stopPointing(): void {
    endPointing?.();
    endPointing = undefined;
    point.textContent = "Point at something";
    say("");
    hide(false); // what was typed is there again
  }

  function edit(element: Element): void {
    close();
    form = formOf(element, {
      finding: tools,
      keep: (change) => void add(change),
      cancel: close,
      pointOn: () => {
        pick((other) => form?.goesTo(other));
        hide(true);
      },
    });
    const { left, width } = element.getBoundingClientRect();
    if (left + width / 2 > innerWidth / 2) form.element.classList.add("left"); // so that it can be seen
    root.append(form.element);
    form.element.querySelector("select")?.focus();
  }

  function hide(hidden: boolean): void {
    if (form) form.element.hidden = hidden;
  }

  function close(): void {
    form?.element.remove();
    form = undefined;
  }

  function showList(wanted: boolean): void {
    list?.remove();
    list = undefined;
    store(LIST, wanted ? "1" : "");
    open.setAttribute("aria-expanded", String(wanted));
    hide(wanted);
    if (!wanted || !shown) return;
    list = listOf(shown, states, (changes) => void replace(changes, withPresent));
    root.append(list);
  }

  function draw(): void {
    if (!shown) return;
    title.textContent = `Changing ${shown.variant}, ${shown.name}`;
    open.textContent = `Changes (${shown.changes.length})`;
    undo.disabled = !pastLists().length;
    if (list) showList(true);
  }

  const answer = await ask({});
  if (isRefusal(answer)) {
    say(answer.title + (answer.errors ?? []).map(({ message }) => ` ${message}`).join(""), true);
    done.className = "last";
    bar.append(done);
    return;
  }
  shown = answer;
  const here = location.origin + (location.pathname.replace(/\/+$/, "") || "/");
  if (here !== shown.page) {
    say("Changes are made on another page: ");
    done.className = "last";
    bar.append(make("a", { href: shown.page }, shown.page), done);
    return;
  }
  bar.append(point, open, undo, done);
  // As everywhere, a page that leaves half of a form asks first.
  addEventListener("beforeunload", (event) => {
    if (form) event.preventDefault();
  });
  const on = shown.changes.filter(isOn);
  if (on.length) {
    tools.change(on, (now) => {
      now.forEach((state, at) => (states[at] = state)); // those added meanwhile have theirs
      draw();
    });
  }
  draw();
  if (stored(LIST)) showList(true);
}

const WHY: Record<Exclude<State, "made">, string> = {
  absent: "not found here",
  several: "found more than once",
  failed: "failed",
};

/** The variant's changes, each to be switched off, moved up or taken away. */
function listOf({ changes, words }: Shown, states: State[], replace: (changes: Line[]) => void): HTMLElement {
  const panel = make(
    "section",
    { class: "panel", "aria-label": "Changes" },
    make("h2", {}, "Changes, made in this order"),
  );
  if (!changes.length) panel.append(make("p", { class: "quiet" }, "None yet. Point at something."));
  let made = 0;
  const lines = changes.map((line, at) => {
    const on = isOn(line);
    const state = on ? states[made++] : undefined;
    const box = make("input", { type: "checkbox", checked: on });
    box.addEventListener("change", () => {
      replace(changes.map((one, place) => (place === at ? { ...one, on: box.checked } : one)));
    });
    const why = state && state !== "made" ? make("span", { class: "wrong" }, ` (${WHY[state]})`) : "";
    const said = make("label", {}, box, " ", make("span", on ? {} : { class: "off" }, words[at] ?? ""), why);
    const up = () =>
      replace(changes.map((one, place) => changes[place === at ? at - 1 : place === at - 1 ? at : place] ?? one));
    const moves = at > 0 ? [button("↑", up, { "aria-label": `Change ${at + 1} up` })] : [];
    const away = () => replace(changes.filter((_, place) => place !== at));
    return make("li", {}, said, ...moves, button("Remove", away, { "aria-label": `Remove change ${at + 1}` }));
  });
  panel.append(make("ol", {}, ...lines));
  return panel;
}

const isOn = (line: Line): boolean => line.on ?? true;

const isRefusal = (answer: Shown | Refusal): answer is Refusal => "status" in answer;

function pastLists(): Line[][] {
  return JSON.parse(stored(PAST) || "[]") as Line[][];
}

/** Where nothing may be stored, a page that is loaded again has forgotten it. */
function stored(name: string): string {
  try {
    return sessionStorage.getItem(name) ?? "";
  } catch {
    return "";
  }
}

function store(name: string, value: string): void {
  try {
    sessionStorage.setItem(name, value);
  } catch {
    // As `stored`.
  }
}
