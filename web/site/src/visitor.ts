import { writeCookie } from "./cookies";
import type { Options } from "./options";

const UNIT = "neat_unit";
const OUT = "neat_out";
const DAYS = 400; // the longest that browsers keep a cookie

/** Whether the browser says that its visitor is not to be followed. */
function asksNotTo(): boolean {
  const signals = navigator as Navigator & { globalPrivacyControl?: boolean };
  return navigator.doNotTrack === "1" || signals.globalPrivacyControl === true;
}

export function newId(): string {
  if (crypto.randomUUID) return crypto.randomUUID();
  return Array.from(crypto.getRandomValues(new Uint8Array(16)), (byte) => byte.toString(16).padStart(2, "0")).join("");
}

/** Who the visitor is, and whether they may be known at all. */
export class Visitor {
  private consented: boolean;
  private renewed = false; // the cookie’s age, with each page

  constructor(
    private readonly options: Options,
    private readonly kept: Map<string, string>,
  ) {
    this.consented = !options.askConsent;
  }

  /** Whether anything may be stored and sent. */
  get allowed(): boolean {
    return this.consented && !asksNotTo() && this.kept.get(OUT) !== "1";
  }

  /** The id; made and kept where there is none yet. */
  get unit(): string {
    if (!this.allowed) return "";
    if (this.options.unit) return this.options.unit;
    const known = this.kept.get(UNIT);
    if (known && this.renewed) return known;
    this.renewed = true;
    this.keep(UNIT, known || newId(), DAYS);
    return this.kept.get(UNIT) ?? "";
  }

  consent(given: boolean): void {
    this.consented = given;
    if (!given) this.keep(UNIT, "", 0);
  }

  optOut(out: boolean): void {
    if (out) this.keep(UNIT, "", 0);
    this.keep(OUT, out ? "1" : "", out ? DAYS : 0);
  }

  private keep(name: string, value: string, days: number): void {
    this.kept.set(name, value);
    writeCookie(name, value, days * 86_400, this.options.domain);
  }
}
