/**
 * A part that is loaded for visitors who are followed only: which elements they click, how far down they come, and for how long
 * each tenth of the page is in view. Nothing that is typed is looked at, and no words of the page are sent.
 */
import { keyOf, type Finding } from "./elements";

export interface Followed {
  address: string;
  key: string;
  unit: string;
  /** The experiments that follow the visitor here, with the variants. */
  followed: { experiment: string; variant: string }[];
  finding: Finding;
}

const TENTHS = 10;
const SECOND = 1_000;
const IDLE = 30; // seconds without a sign of the visitor, after which nothing is in view any more
const MAX_CLICKED = 200; // as the server takes them
const MAX_PHONE_WIDTH = 767; // CSS pixels
const SIGNS = ["pointermove", "pointerdown", "keydown", "scroll", "touchstart"];

/** Follow the visitor on this page; answers with what ends it, and sends what there is, or not. */
export function follow({ address, key, unit, followed, finding }: Followed): (sending: boolean) => void {
  const device = innerWidth <= MAX_PHONE_WIDTH ? "phone" : "computer";
  const clicked = new Set<string>();
  let seconds = Array<number>(TENTHS).fill(0);
  let depth = 0;
  let idle = 0;
  let news = true; // that the page was seen at all

  /** The part of the page that is in view, from 0 to 1. */
  const view = (): [number, number] => {
    const whole = Math.max(document.documentElement.scrollHeight, 1);
    return [scrollY / whole, Math.min((scrollY + innerHeight) / whole, 1)];
  };
  const look = () => {
    const reached = Math.floor(view()[1] * TENTHS + 0.001); // the last pixel may be a part of one
    if (reached <= depth) return;
    depth = reached;
    news = true;
  };
  const tick = () => {
    if (document.visibilityState !== "visible" || ++idle > IDLE) return;
    const [from, to] = view();
    // A tenth is in view with its middle.
    seconds = seconds.map((now, at) => ((at + 0.5) / TENTHS >= from && (at + 0.5) / TENTHS <= to ? now + 1 : now));
    news = true;
  };
  const sign = () => {
    idle = 0;
  };
  const click = (event: Event) => {
    const target = event.composedPath()[0];
    const element = target instanceof Element ? keyOf(target, finding) : "";
    if (!element || clicked.has(element) || clicked.size >= MAX_CLICKED) return;
    clicked.add(element);
    news = true;
  };
  const send = () => {
    look();
    if (!news) return;
    const one = { device, depth, seconds, clicked: [...clicked] };
    const body = JSON.stringify({ key, unit, uses: followed.map((place) => ({ ...place, ...one })) });
    if (!navigator.sendBeacon(`${address}/site/v1/use`, body)) return;
    seconds = seconds.map(() => 0); // what is sent is added up there
    news = false;
  };
  const hide = () => {
    if (document.visibilityState === "hidden") send();
  };

  const passive = { capture: true, passive: true };
  const ticking = setInterval(tick, SECOND);
  SIGNS.forEach((name) => addEventListener(name, sign, passive));
  addEventListener("scroll", look, passive);
  addEventListener("click", click, passive);
  document.addEventListener("visibilitychange", hide);
  addEventListener("pagehide", send);
  return (sending) => {
    if (sending) send();
    clearInterval(ticking);
    SIGNS.forEach((name) => removeEventListener(name, sign, passive));
    removeEventListener("scroll", look, passive);
    removeEventListener("click", click, passive);
    document.removeEventListener("visibilitychange", hide);
    removeEventListener("pagehide", send);
  };
}
