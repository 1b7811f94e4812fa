/** Calls back once the element, or the first that fits the selector, is half in view; also if it comes later. */
export function whenSeen(what: Element | string, then: () => void): void {
  if (typeof what !== "string") {
    watch(what, then);
    return;
  }
  const found = document.querySelector(what);
  if (found) {
    watch(found, then);
    return;
  }
  const changes = new MutationObserver(() => {
    const late = document.querySelector(what);
    if (!late) return;
    changes.disconnect();
    watch(late, then);
  });
  changes.observe(document.documentElement, { childList: true, subtree: true, attributes: true });
}

function watch(element: Element, then: () => void): void {
  const seen = new IntersectionObserver(
    (entries) => {
      // One higher than the window is never half in view: then it is enough that it fills half of the window.
      const shown = entries.some(
        (one) => one.isIntersecting && (one.intersectionRatio >= 0.5 || one.intersectionRect.height >= innerHeight / 2),
      );
      if (!shown) return;
      seen.disconnect();
      then();
    },
    { threshold: [0, 0.1, 0.25, 0.5, 0.75, 1] },
  );
  seen.observe(element);
}

/** Calls back with each change of the address that loads no page. */
export function onAddress(then: () => void): void {
  let at = location.href;
  const look = () => {
    if (location.href === at) return;
    at = location.href;
    then();
  };
  for (const name of ["pushState", "replaceState"] as const) {
    const own = history[name].bind(history);
    history[name] = (...given) => {
      own(...given);
      look();
    };
  }
  addEventListener("popstate", look);
  addEventListener("hashchange", look);
}
