import type { Options, Value } from "./options";
import { newId } from "./visitor";

const STORED = "neat_waiting:"; // then the page’s own id: several are open at once
const AT_ONCE = 50;
const MOST = 500; // what waits; the oldest go first
const MOST_BYTES = 60_000; // the door takes 64 kB, as a page that is left may send
const SOON = 1_000;
const LONGEST = 60_000;

/** Events on their way: sent in batches, kept through failures and while there is no network. */
export class Queue {
  private waiting: string[] = []; // as JSON
  private timer: ReturnType<typeof setTimeout> | undefined;
  private sending = false;
  private delay = SOON;
  private restored = false;
  private readonly stored = STORED + newId();

  constructor(
    private readonly options: Options,
    private readonly mayStore: () => boolean,
  ) {
    addEventListener("online", () => this.soon(0));
    addEventListener("pagehide", () => this.leave());
    document.addEventListener("visibilitychange", () => {
      if (document.visibilityState === "hidden") this.leave();
    });
  }

  /** What other pages could not send. What one that is still open sends too counts once. */
  restore(): void {
    if (this.restored) return;
    this.restored = true;
    try {
      for (const name of storedNames().filter((one) => one !== this.stored)) {
        const kept: unknown = JSON.parse(localStorage.getItem(name) ?? "[]");
        localStorage.removeItem(name);
        if (Array.isArray(kept)) this.waiting = [...(kept as string[]), ...this.waiting].slice(-MOST);
      }
      if (this.waiting.length) this.soon(SOON);
    } catch {
      // No storage here: what could not be sent is lost with the page.
    }
  }

  /** Throws for what is no JSON, before anything waits with it. */
  add(event: Record<string, Value>): void {
    this.waiting = [...this.waiting, JSON.stringify(event)].slice(-MOST);
    if (!navigator.onLine) this.keep();
    this.soon(this.delay);
  }

  /** Nothing waits any more, of other pages neither. */
  clear(): void {
    this.waiting = [];
    try {
      for (const name of storedNames()) localStorage.removeItem(name);
    } catch {
      // Nothing is stored.
    }
  }

  private soon(after: number): void {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => void this.send(), after);
  }

  private async send(): Promise<void> {
    const batch = this.batch();
    if (this.sending || !batch.length || !navigator.onLine) return;
    this.sending = true;
    let status = 0;
    let after = 0;
    try {
      const answer = await fetch(this.address, { method: "POST", body: this.body(batch), keepalive: true });
      status = answer.status;
      after = 1000 * Number(answer.headers.get("Retry-After"));
    } catch {
      // No network, or not open to this page: tried once more, less and less often.
    }
    this.sending = false;
    // Whatever is refused for what it is would be refused once more.
    const done = (status >= 200 && status < 300) || (status >= 400 && status < 500 && status !== 429);
    if (done) {
      this.waiting = this.waiting.filter((event) => !batch.includes(event));
      this.delay = SOON;
    } else {
      this.delay = Math.min(Math.max(2 * this.delay, after), LONGEST);
    }
    this.keep();
    if (this.waiting.length) this.soon(this.delay);
  }

  /** The page is being left: what waits goes along, or waits for the next page. */
  private leave(): void {
    for (let batch = this.batch(); batch.length; batch = this.batch()) {
      if (!navigator.onLine || !navigator.sendBeacon(this.address, this.body(batch))) break;
      this.waiting = this.waiting.slice(batch.length);
    }
    this.keep();
  }

  private batch(): string[] {
    let count = Math.min(this.waiting.length, AT_ONCE);
    while (count > 1 && bytes(this.body(this.waiting.slice(0, count))) > MOST_BYTES) count = Math.ceil(count / 2);
    return this.waiting.slice(0, count);
  }

  private get address(): string {
    return `${this.options.address}/site/v1/events`;
  }

  private body(events: string[]): string {
    return `{"key":${JSON.stringify(this.options.key)},"events":[${events.join()}]}`;
  }

  private keep(): void {
    try {
      if (this.waiting.length && this.mayStore()) localStorage.setItem(this.stored, JSON.stringify(this.waiting));
      else localStorage.removeItem(this.stored);
    } catch {
      // Full, or not to be had: they wait in memory.
    }
  }
}

function storedNames(): string[] {
  return Object.keys(localStorage).filter((one) => one.startsWith(STORED));
}

function bytes(text: string): number {
  return new TextEncoder().encode(text).length;
}
