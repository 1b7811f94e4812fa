/** The script as a page loads it: `window.neat`, and whatever waited for it in `window.neatQueue`. */
import { optionsOf } from "./options";
import { start, type Neat } from "./start";

declare global {
  interface Window {
    neat?: Neat;
    neatQueue?: { push: (...waiting: ((neat: Neat) => void)[]) => unknown };
  }
}

const own = document.currentScript;
if (own instanceof HTMLScriptElement && !window.neat) {
  const neat = start(optionsOf(own));
  window.neat = neat;
  const run = (...waiting: ((neat: Neat) => void)[]) => {
    for (const one of waiting) {
      try {
        one(neat);
      } catch (problem) {
        // The page's own: shown where the page shows its own.
        setTimeout(() => {
          throw problem;
        });
      }
    }
  };
  const waiting = Array.isArray(window.neatQueue) ? (window.neatQueue as ((neat: Neat) => void)[]) : [];
  window.neatQueue = { push: run };
  run(...waiting);
}
