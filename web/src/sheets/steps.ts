import { useRef, useState, type RefObject } from "react";
import type { ExperimentChanges } from "../api/client";

type Kind = "edit" | "undo" | "redo";
interface Steps {
  /** What undoes each change that was made, the last one last. */
  undo: ExperimentChanges[];
  /** What makes each undone change once more. */
  redo: ExperimentChanges[];
}

const PREFIX = "steps:";
const MOST = 50;

function read(key: string): Steps {
  try {
    return (JSON.parse(sessionStorage.getItem(key) ?? "null") as Steps | null) ?? { undo: [], redo: [] };
  } catch {
    return { undo: [], redo: [] };
  }
}

/** Steps back and forth of one visit: they outlive a reload and a look at another experiment. `take` when one was taken. */
export function useSteps(place: string): {
  steps: Steps;
  /** As they are when a request goes out, which may be later than what was drawn. */
  latest: RefObject<Steps>;
  take: (kind: Kind, before: ExperimentChanges) => void;
} {
  const key = PREFIX + place;
  const [steps, setSteps] = useState(() => read(key));
  const latest = useRef(steps);
  const take = (kind: Kind, before: ExperimentChanges) => {
    const { undo, redo } = latest.current;
    latest.current = {
      edit: { undo: [...undo, before].slice(-MOST), redo: [] },
      undo: { undo: undo.slice(0, -1), redo: [...redo, before] },
      redo: { undo: [...undo, before], redo: redo.slice(0, -1) },
    }[kind];
    setSteps(latest.current);
    try {
      sessionStorage.setItem(key, JSON.stringify(latest.current));
    } catch {
      // A browser that stores nothing keeps them until the page is left.
    }
  };
  return { steps, latest, take };
}
