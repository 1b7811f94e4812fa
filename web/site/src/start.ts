import { complete, type Options, type Properties } from "./options";
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
}

export interface Assignment {
  experiment: string;
  variant: string;
  reason: string;
}

interface Given extends Partial<Assignment> {
  value: unknown;
}

const EXPOSURE = "exposure";
const PAGE_VIEW = "page_view";

/** Begin on this page. */
export function start(given: Partial<Options>): Neat {
  const options = complete(given);
  const visitor = new Visitor(options);
  const queue = new Queue(options, () => visitor.allowed);
  const exposed = new Set<string>();
  const listeners: (() => void)[] = [];
  let known: Record<string, Given> = {};
  let asked = 0;
  let viewed = "";

  /** Ask which parameters the visitor has. What comes after the time-out is too late: something else is being shown by then. */
  async function ask(): Promise<void> {
    const turn = ++asked;
    const unit = visitor.unit;
    if (!unit) return;
    const stop = new AbortController();
    const timer = setTimeout(() => stop.abort(), options.timeout);
    try {
      const body = JSON.stringify({ key: options.key, unit, properties: options.properties });
      const answer = await fetch(`${options.address}/site/v1/assign`, { method: "POST", body, signal: stop.signal });
      if (!answer.ok || turn !== asked) return;
      const { parameters } = (await answer.json()) as { parameters?: Record<string, Given> };
      known = parameters ?? {};
    } catch {
      // No answer in time.
    } finally {
      clearTimeout(timer);
    }
  }

  function begin(): Promise<void> {
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
    known = {};
    exposed.clear();
    queue.clear();
  }

  function track(event: string, properties: Properties = {}): void {
    const unit = visitor.unit;
    if (unit) queue.add({ ...properties, id: newId(), unit, event, at: new Date().toISOString() });
  }

  /** Each address once, however often something begins at it. */
  function view(): void {
    if (viewed === location.href || !visitor.allowed) return;
    viewed = location.href;
    if (options.pageViews)
      track(PAGE_VIEW, { address: location.pathname.slice(0, 200), name: document.title.slice(0, 200) });
  }

  function expose(name: string): void {
    const { experiment, variant, reason } = known[name] ?? {};
    if (!experiment || !variant || !reason || exposed.has(experiment)) return;
    exposed.add(experiment);
    const base: Properties = options.version ? { base_version: options.version } : {};
    track(EXPOSURE, { ...options.properties, ...base, experiment, variant, reason });
  }

  function assignments(): Assignment[] {
    const found = new Map<string, Assignment>();
    for (const { experiment, variant, reason } of Object.values(known)) {
      if (experiment && variant && reason) found.set(experiment, { experiment, variant, reason });
    }
    return [...found.values()];
  }

  function get<T>(name: string, otherwise: T, when: When = "now"): T {
    const found = known[name];
    if (!found || (otherwise !== null && typeof found.value !== typeof otherwise)) return otherwise;
    const shown = () => safely(() => expose(name));
    if (when === "now") shown();
    else if (when instanceof Element) whenSeen(when, shown);
    else if (typeof when === "object") whenSeen(when.selector, shown);
    return found.value as T;
  }

  const ready = begin().catch(() => undefined);
  safely(() =>
    onAddress(() => {
      safely(view);
      listeners.forEach((then) => safely(then));
    }),
  );
  return {
    ready,
    get unit() {
      return safely(() => visitor.unit) ?? "";
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
  };
}

/** Whatever goes wrong here must not go wrong on the page. */
function safely<T>(work: () => T): T | undefined {
  try {
    return work();
  } catch {
    return undefined;
  }
}
