import { createContext, useCallback, useContext, useEffect, useState } from "react";

/** Of whom and of what the fields are in which somebody types, such as "mona/fare-calendar"; what is typed outside of one is not stored. */
export const DraftPlace = createContext("");

const PREFIX = "draft:";
const DAYS = 30;

interface Stored<Draft> {
  draft: Draft;
  at: number;
}

function read<Draft>(key: string): Draft | null {
  try {
    const stored = JSON.parse(localStorage.getItem(key) ?? "null") as Stored<Draft> | null;
    return stored && Date.now() - stored.at < DAYS * 86_400_000 ? stored.draft : null;
  } catch {
    return null;
  }
}

function write<Draft>(key: string, draft: Draft | null): void {
  try {
    if (draft === null) localStorage.removeItem(key);
    else localStorage.setItem(key, JSON.stringify({ draft, at: Date.now() } satisfies Stored<Draft>));
  } catch {
    // A browser that stores nothing, or no more: it holds until the page is left.
  }
}

/** What somebody has typed and the server does not have yet, null for nothing: it outlives a reload, for a month. */
export function useDraft<Draft>(name: string): [Draft | null, (draft: Draft | null) => void, restored: boolean] {
  const place = useContext(DraftPlace);
  const key = place && `${PREFIX}${place}/${name}`;
  const stored = () => {
    const draft = key ? read<Draft>(key) : null;
    return { key, draft, restored: draft !== null };
  };
  const [now, setNow] = useState(stored);
  if (now.key !== key) setNow(stored()); // it is another field by now
  useUnsaved(now.draft !== null);
  const set = useCallback(
    (draft: Draft | null) => {
      setNow({ key, draft, restored: false });
      if (key) write(key, draft);
    },
    [key],
  );
  return [now.draft, set, now.restored];
}

export interface Written<Form> {
  form: Form;
  write: (part: Partial<Form>) => void;
  /** What was written is sent, or given up. */
  done: () => void;
}

/**
 * A form that is sent by a button of its own, `empty` while nothing is written in it. What is written outlives a reload until it is done
 * with, also where the answer comes after the form was left.
 */
export function useWritten<Form extends object>(name: string, empty: Form): Written<Form> {
  const [draft, setDraft] = useDraft<Partial<Form>>(name);
  return {
    form: { ...empty, ...draft },
    write: (part) => setDraft({ ...draft, ...part }),
    done: () => setDraft(null),
  };
}

/**
 * As `useDraft`, of what is written over something stored: once that is the same, nothing is waiting any more.
 */
export function useDraftOver<Draft>(name: string, stored: Draft): [Draft | null, (draft: Draft | null) => void] {
  const [draft, setDraft] = useDraft<Draft>(name);
  const same = draft !== null && JSON.stringify(draft) === JSON.stringify(stored);
  useEffect(() => {
    if (same) setDraft(null);
  }, [same, setDraft]);
  return [draft, setDraft];
}

/** While something is not saved, the browser asks before the page is left. */
export function useUnsaved(unsaved: boolean): void {
  useEffect(() => {
    if (!unsaved) return;
    const ask = (event: BeforeUnloadEvent) => event.preventDefault();
    window.addEventListener("beforeunload", ask);
    return () => window.removeEventListener("beforeunload", ask);
  }, [unsaved]);
}
