/** Pointing at an element of the page: by mouse, by finger, or by keys. */
import { make } from "./bar";

const KEYS: Record<string, (at: Element) => Element | null | undefined> = {
  ArrowUp: (at) => (at === document.body ? at : at.parentElement),
  ArrowDown: (at) => at.firstElementChild,
  ArrowLeft: (at) => at.previousElementSibling,
  ArrowRight: (at) => at.nextElementSibling,
};
const PRESSES = ["pointerdown", "mousedown", "pointerup", "mouseup"];
const TOUCHES = ["touchstart", "touchend"]; // not prevented: a finger that is makes no click, and does not scroll

export interface Pointing {
  /** Called with what is pointed at by now. */
  at: (element: Element) => void;
  picked: (element: Element) => void;
  left: () => void;
}

/** Let an element of the page be pointed at, until it is ended by what this answers with. */
export function pointing(root: ShadowRoot, { at, picked, left }: Pointing): () => void {
  const frame = make("div", { class: "frame" });
  root.append(frame);
  let on: Element | undefined;
  const follow = () => {
    if (!on) return;
    const { x, y, width, height } = on.getBoundingClientRect();
    Object.assign(frame.style, { left: `${x}px`, top: `${y}px`, width: `${width}px`, height: `${height}px` });
  };
  const moveTo = (element: Element | null | undefined) => {
    if (!element || element === root.host || element === document.documentElement || element.contains(root.host))
      return;
    on = element;
    frame.hidden = false;
    follow();
    at(element);
  };
  frame.hidden = true;

  const ours = (event: Event) => event.composedPath().includes(root.host);
  const over = (event: Event) => {
    if (!ours(event)) moveTo(event.composedPath()[0] as Element);
  };
  const hush = (event: Event) => {
    if (!ours(event)) event.stopImmediatePropagation(); // the page must not act on it
  };
  const press = (event: Event) => {
    if (!ours(event)) event.preventDefault();
    hush(event);
  };
  const click = (event: Event) => {
    if (ours(event)) return;
    press(event);
    picked(event.composedPath()[0] as Element);
  };
  const key = (event: KeyboardEvent) => {
    const step = KEYS[event.key];
    if (event.key === "Escape") {
      press(event);
      left();
    } else if (step) {
      event.preventDefault();
      event.stopImmediatePropagation();
      const next = on ? step(on) : (document.querySelector("main") ?? document.body.firstElementChild);
      moveTo(next);
      next?.scrollIntoView({ block: "nearest" });
      follow();
    } else if (event.key === "Enter" && on) {
      event.preventDefault();
      event.stopImmediatePropagation();
      picked(on);
    }
  };
  const heard: [string, (event: never) => void][] = [
    ["pointermove", over],
    ["click", click],
    ["keydown", key],
    ["scroll", follow],
    ...PRESSES.map((name): [string, (event: never) => void] => [name, press]),
    ...TOUCHES.map((name): [string, (event: never) => void] => [name, hush]),
  ];
  const options = { capture: true, passive: false };
  heard.forEach(([name, then]) => addEventListener(name, then as EventListener, options));

  return () => {
    heard.forEach(([name, then]) => removeEventListener(name, then as EventListener, options));
    frame.remove();
  };
}
