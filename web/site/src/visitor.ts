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

function cookie(name: string): string {
  const found = document.cookie.split("; ").find((one) => one.startsWith(`${name}=`));
  return found ? decodeURIComponent(found.slice(name.length + 1)) : "";
}

/** Who the visitor is, and whether they may be known at all. */
export class Visitor {
  private consented: boolean;

  constructor(private readonly options: Options) {
    this.consented = !options.askConsent;
  }

  /** Whether anything may be stored and sent. */
  get allowed(): boolean {
    return this.consented && !asksNotTo() && cookie(OUT) !== "1";
  }

  /** The id; made and kept where there is none yet. */
  get unit(): string {
    if (!this.allowed) return "";
    if (this.options.unit) return this.options.unit;
    const id = cookie(UNIT) || newId();
    this.keep(UNIT, id, DAYS);
    return id;
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
    const domain = this.options.domain ? `; Domain=${this.options.domain}` : "";
    const secure = location.protocol === "https:" ? "; Secure" : "";
    const age = `; Max-Age=${days * 86_400}`;
    document.cookie = `${name}=${encodeURIComponent(value)}${age}; Path=/; SameSite=Lax${domain}${secure}`;
  }
}
