import { useEffect, useRef, useState, type RefObject } from "react";
import { useLocation } from "react-router";
import { usePreferences } from "../api/preferences";

const PLACE = "panel:";

/** What this browser remembers of a panel; null where it was never turned, or nothing may be stored. */
function remembered(name: string): boolean | null {
  try {
    const stored = localStorage.getItem(PLACE + name);
    return stored === null ? null : stored === "open";
  } catch {
    return null;
  }
}

function remember(name: string, open: boolean): void {
  try {
    localStorage.setItem(PLACE + name, open ? "open" : "folded");
  } catch {
    // It stays so for this visit.
  }
}

interface Fold {
  open: boolean;
  /** Whether it was open already: what was typed in it stays when it is folded. */
  seen: boolean;
  turn: () => void;
  holder: RefObject<HTMLElement | null>;
}

/** Whether a panel is open: as it was turned last, else as its reader prefers it; an address that ends with #name opens it. */
export function useFold(name: string): Fold {
  const preferred = usePreferences()?.panels === "open";
  const { hash } = useLocation();
  const asked = hash === `#${name}`;
  const [turned, setTurned] = useState(() => remembered(name));
  const [answered, setAnswered] = useState(false);
  if (asked !== answered) {
    setAnswered(asked);
    if (asked) setTurned(true);
  }
  const holder = useRef<HTMLElement>(null);
  useEffect(() => {
    if (asked) holder.current?.scrollIntoView();
  }, [asked]);
  const open = turned ?? preferred;
  const [seen, setSeen] = useState(open);
  if (open && !seen) setSeen(true);
  const turn = () => {
    setTurned(!open);
    remember(name, !open);
  };
  return { open, seen, turn, holder };
}
