import { version as SCRIPT } from "../package.json";
import { altered, change, find, textOf, type Change, type State } from "./changes";
import { readCookies } from "./cookies";
import { complete, type Options, type Properties } from "./options";
import { pageHash, release, sendOn, thisPage, wasSentBack, type Passage } from "./passages";
import type { Tools } from "./point";
import type { Look, Shown } from "./preview";
import type { Followed } from "./use";
import { framed, leavePointing, leavePreview, pointingToken, previewToken } from "./previewing";
import { Queue } from "./queue";
import { onAddress, whenSeen } from "./seen";
import { newId, Visitor } from "./visitor";

export type { Options, Properties, Value } from "./options";

/**
 * When reading a parameter counts as showing it: at once; when the site says so (`expose`); when an element, or the first that
 * fits a selector, is half in view.
 */
export type When = "now" | "later" | Element | { selector: string };

/** What a page uses. Nothing of it ever throws or rejects: without an answer, pages show what they show without us. */
export interface Neat {
  /** Resolved when the parameters are there, or after the time-out. */
  readonly ready: Promise<void>;
  /** The visitor's id; "" while none may be known. */
  readonly unit: string;
  /** A parameter, or `otherwise` where it is not there (in time) or is of another type. */
  get<T>(name: string, otherwise: T, when?: When): T;
  /** The difference that a parameter makes is being shown. */
  expose(name: string): void;
  /** Something happened. */
  track(event: string, properties?: Properties): void;
  /** What the visitor takes part in, for other tools of the site. */
  assignments(): Assignment[];
  /** What else is known of the visitor; variants are asked for once more where it changes. */
  know(properties: Properties): Promise<void>;
  /** Called with each change of the address that loads no page, and where parameters come later. */
  onChange(then: () => void): void;
  consent(given: boolean): void;
  optOut(): void;
  optIn(): void;
  /** Called by the script as it comes from us: the pages on which something is changed; no other is held back. */
  changed(pages: number[]): void;
}

export interface Assignment {
  experiment: string;
  variant: string;
  reason: string;
}

interface Given extends Partial<Assignment> {
  value: unknown;
}

/** What a door answers: parameters, of a preview with its variant, or a problem. */
interface Answer {
  parameters?: Record<string, Given>;
  passages?: Passage[];
  changes?: Change[];
  followed?: Followed["followed"];
  variant?: string;
  name?: string;
  expires_at?: string;
  title?: string;
  problem?: string | undefined;
}

interface PreviewPart {
  show: (look: Look, leave: () => void) => Shown;
}

interface UsePart {
  follow: (followed: Followed) => (sending: boolean) => void;
}

interface PointPart {
  begin: (tools: Tools) => Promise<void>;
}

const EXPOSURE = "exposure";
const PAGE_VIEW = "page_view";
const REACHED = "page_reached";
const UNMADE = "page_change_failed";
const FINDING = { find, textOf, altered };
const PREVIEW_TIMEOUT = 5_000; // somebody waits for it on purpose

/** Begin on this page. */
export function start(given: Partial<Options>): Neat {
  const options = complete(given);
  const kept = readCookies();
  const pointing = safely(pointingToken) ?? "";
  const preview = pointing ? "" : (safely(() => previewToken(kept)) ?? "");
  const looking = preview || pointing; // nobody who is to be counted
  const visitor = new Visitor(options, kept);
  const queue = new Queue(options, () => visitor.allowed);
  const read = new Set<string>();
  const exposed = new Set<string>();
  const listeners: (() => void)[] = [];
  let known: Record<string, Given> = {};
  let asked = 0;
  let viewed = "";
  let changed: number[] = [];
  const altering = new Map<string, () => void>(); // what stops the changes that are being made
  let leaving = false; // another page is on its way
  let following: { what: string; page: string; stop: (sending: boolean) => void } | undefined;
  let pointed: Promise<void> | undefined;
  let bar: Shown | undefined;
  let became: State[] = []; // of the changes that a preview makes

  /** What a door answers to a question, in time; undefined where it does not. */
  async function answerOf(door: string, question: object, timeout: number): Promise<Answer | undefined> {
    const stop = new AbortController();
    const timer = setTimeout(() => stop.abort(), timeout);
    try {
      const body = JSON.stringify({
        key: options.key,
        page: location.pathname,
        script: SCRIPT,
        held: !!window.neatHold,
        ...question,
      });
      const answer = await fetch(`${options.address}/site/v1/${door}`, { method: "POST", body, signal: stop.signal });
      const content = (await answer.json()) as Answer;
      return answer.ok ? content : { problem: content.title };
    } catch {
      return undefined;
    } finally {
      clearTimeout(timer);
    }
  }

  /** Ask which parameters the visitor has. What comes after the time-out is too late: something else is being shown by then. */
  async function ask(): Promise<void> {
    const turn = ++asked;
    const unit = visitor.unit;
    if (!unit) return;
    const answer = await answerOf("assign", { unit, properties: options.properties }, options.timeout);
    if (!answer || answer.problem || turn !== asked) return;
    known = answer.parameters ?? {};
    // A page that has been drawn by then is left as it is: nobody takes part for whom it would change under their eyes.
    const late = turn === 1 && window.neatHold?.over;
    leaving = pass((answer.passages ?? []).filter((one) => !late || !one.here));
    if (!leaving) void follow(unit, answer.followed ?? []).catch(() => undefined);
  }

  /** Note what the visitor does on this page, of a sample of them. */
  async function follow(unit: string, followed: Followed["followed"]): Promise<void> {
    const page = thisPage();
    const what = [unit, page, ...followed.map((one) => `${one.experiment} ${one.variant}`)].join(" ");
    if (following?.what === what) return;
    unfollow(true);
    if (!followed.length) return;
    const turn = asked;
    const { address, key } = options;
    const part = (await loaded("use")) as UsePart;
    if (turn === asked)
      following = { what, page, stop: part.follow({ address, key, unit, followed, finding: FINDING }) };
  }

  function unfollow(sending: boolean): void {
    following?.stop(sending);
    following = undefined;
  }

  /** Take part in what lies between pages; whether the visitor is sent on. */
  function pass(passages: Passage[]): boolean {
    const on = passages.findIndex(({ to, experiment }) => to && !wasSentBack(kept, experiment));
    passages.forEach((one, at) => {
      const { experiment, variant, counts, here, to, between } = one;
      if (!counts || (to && at !== on)) return; // who was sent back has seen nothing new
      // Who is sent on sees no more of this page. Of tests between pages those before had their turn, whatever they assigned.
      if (here && on >= 0 && at !== on && !(between && at < on)) return;
      if (here) exposeTo(one);
      if (!between || to) return;
      const reached = () => track(REACHED, { experiment, variant });
      if (on >= 0) reached();
      else whenDrawn(reached);
    });
    const passage = passages[on];
    if (passage) sendOn(passage, kept);
    else alter(passages);
    return !!passage;
  }

  /** Make the changes of variants, each once on a page however often it is asked, and say which could not be made. */
  function alter(passages: Passage[]): void {
    const wanted = passages.filter(({ changes }) => changes.length);
    const names = wanted.map(({ experiment, variant }) => `${experiment} ${variant} ${thisPage()}`);
    for (const [name, stop] of altering) {
      if (names.includes(name)) continue;
      stop();
      altering.delete(name);
    }
    wanted.forEach(({ experiment, variant, changes, counts }, place) => {
      const name = names[place] ?? "";
      const done = (states: State[]) =>
        states.forEach((problem, at) => {
          if (problem !== "made" && counts)
            track(UNMADE, { experiment, variant, change: at + 1, problem, browser: browserName() });
        });
      if (!altering.has(name)) altering.set(name, change(changes, done));
    });
  }

  /** Ask what the variant of a preview shows, and say on the page that it is one. */
  async function look(): Promise<void> {
    const answer = (await answerOf("preview", { token: preview }, PREVIEW_TIMEOUT)) ?? {
      problem: "The preview does not answer. Is this origin open to the site’s key?",
    };
    known = answer.parameters ?? {};
    if (answer.changes?.length) {
      const done = (states: State[]) => {
        became = states;
        bar?.changed(states);
      };
      change(answer.changes, done);
    }
    const { variant, name, expires_at: until, problem } = answer;
    const parameters = Object.keys(known);
    const what = { variant, name, until, problem, parameters, script: SCRIPT, framed: framed(), finding: FINDING };
    void announce(what).catch(() => undefined);
  }

  async function announce(what: Look): Promise<void> {
    const part = (await loaded("preview")) as PreviewPart;
    bar = part.show(what, leavePreview);
    read.forEach((name) => bar?.read(name));
    if (became.length) bar.changed(became);
  }

  /** Let what the variant changes be pointed at. */
  async function point(): Promise<void> {
    const { address, key } = options;
    const part = (await loaded("point")) as PointPart;
    await part.begin({ address, key, token: pointing, change, ...FINDING, leave: leavePointing });
  }

  /** A part of the script, which few pages need. */
  const loaded = (part: string): Promise<unknown> =>
    import(/* @vite-ignore */ `${options.address}/site/v1/neat-${part}.js`);

  function begin(): Promise<void> {
    if (pointing) return (pointed ??= point()); // once: what is being typed there stays
    if (preview) return look();
    if (!visitor.allowed) return Promise.resolve();
    const asking = ask();
    view();
    // Once the page has what it waits for: opening the storage takes as long as asking.
    return asking.finally(() => safely(() => queue.restore()));
  }

  async function again(): Promise<void> {
    await begin();
    listeners.forEach((then) => safely(then));
  }

  function forget(): void {
    asked += 1;
    unfollow(false);
    alter([]);
    known = {};
    exposed.clear();
    queue.clear();
  }

  function track(event: string, properties: Properties = {}): void {
    const unit = looking ? "" : visitor.unit;
    if (unit) queue.add({ ...properties, id: newId(), unit, event, at: new Date().toISOString() });
  }

  /** Each address once, however often something begins at it. */
  function view(): void {
    if (viewed === location.href || looking || !visitor.allowed) return;
    viewed = location.href;
    if (options.pageViews)
      track(PAGE_VIEW, { address: location.pathname.slice(0, 200), name: document.title.slice(0, 200) });
  }

  function expose(name: string): void {
    const { experiment, variant, reason } = known[name] ?? {};
    if (experiment && variant && reason) exposeTo({ experiment, variant, reason });
  }

  function exposeTo({ experiment, variant, reason }: Assignment): void {
    if (exposed.has(experiment)) return;
    exposed.add(experiment);
    const base: Properties = options.version ? { base_version: options.version } : {};
    track(EXPOSURE, { browser: browserName(), ...options.properties, ...base, experiment, variant, reason });
  }

  function assignments(): Assignment[] {
    const found = new Map<string, Assignment>();
    for (const { experiment, variant, reason } of Object.values(known)) {
      if (experiment && variant && reason) found.set(experiment, { experiment, variant, reason });
    }
    return [...found.values()];
  }

  function get<T>(name: string, otherwise: T, when: When = "now"): T {
    if (preview) {
      read.add(name);
      bar?.read(name);
    }
    const found = known[name];
    if (!found || (otherwise !== null && typeof found.value !== typeof otherwise)) return otherwise;
    const shown = () => safely(() => expose(name));
    if (when === "now") shown();
    else if (when instanceof Element) whenSeen(when, shown);
    else if (typeof when === "object") whenSeen(when.selector, shown);
    return found.value as T;
  }

  const ready = begin()
    .catch(() => undefined)
    .then(() => void safely(() => leaving || release()));
  safely(() =>
    onAddress(() => {
      safely(view);
      if (following?.page !== thisPage()) unfollow(true); // what is done from here on is done on another page
      if (changed.includes(pageHash(thisPage()))) void begin().catch(() => undefined);
      listeners.forEach((then) => safely(then));
    }),
  );
  return {
    ready,
    get unit() {
      return looking ? "" : (safely(() => visitor.unit) ?? "");
    },
    get: <T>(name: string, otherwise: T, when?: When) => {
      const found = safely(() => ({ value: get(name, otherwise, when) }));
      return found ? found.value : otherwise;
    },
    expose: (name) => void safely(() => expose(name)),
    track: (event, properties) => void safely(() => track(event, properties)),
    assignments: () => safely(assignments) ?? [],
    know: async (properties) => {
      options.properties = { ...options.properties, ...properties };
      await again().catch(() => undefined);
    },
    onChange: (then) => void listeners.push(then),
    consent: (yes) =>
      void safely(() => {
        visitor.consent(yes);
        if (yes) void again().catch(() => undefined);
        else forget();
      }),
    optOut: () =>
      void safely(() => {
        visitor.optOut(true);
        forget();
      }),
    optIn: () =>
      void safely(() => {
        visitor.optOut(false);
        void again().catch(() => undefined);
      }),
    changed: (pages) =>
      void safely(() => {
        changed = pages;
        if (!pages.includes(pageHash(thisPage()))) release();
      }),
  };
}

/** What the browser calls itself: the last of the brands that it names, or of the products in its older line. */
function browserName(): string {
  const { userAgentData, userAgent } = navigator as Navigator & {
    userAgentData?: { brands?: { brand: string; version: string }[] };
  };
  const brands = (userAgentData?.brands ?? []).filter(({ brand }) => !/not.?a.?brand/i.test(brand));
  const last = brands.at(-1);
  if (last) return `${last.brand} ${last.version}`.slice(0, 60);
  return (/(\S+?)\/(\d+)[^/]*$/.exec(userAgent) ?? []).slice(1).join(" ").slice(0, 60);
}

/** Once the page is there as a whole. */
function whenDrawn(then: () => void): void {
  if (document.readyState !== "loading") then();
  else document.addEventListener("DOMContentLoaded", () => safely(then), { once: true });
}

/** Whatever goes wrong here must not go wrong on the page. */
function safely<T>(work: () => T): T | undefined {
  try {
    return work();
  } catch {
    return undefined;
  }
}
