import { useMutation, useQueryClient } from "@tanstack/react-query";
import { createContext, useContext, useMemo, useRef, useState, type ReactNode } from "react";
import { Problem, type Experiment } from "../api/client";
import { Clash, saveEdit, type Change } from "../api/edits";
import { useKeep, useSession } from "../api/hooks";
import { editsOf, keys } from "../api/keys";
import { DraftPlace, useUnsaved } from "../lib/drafts";
import { useSteps } from "./steps";

interface Editing {
  experiment: Experiment;
  mayEdit: boolean;
  /** Whether anything may be done about it at all: by an analyst, and not about a closed round. */
  mayAct: boolean;
  /** True once started: the question, the split and the sizing can no longer change. */
  locked: boolean;
  /** True while the decision rule and what visitors get cannot change: after the start, unless a reason has been given. */
  ruleLocked: boolean;
  /** The reason under which they may be changed after the start; empty for none. */
  reason: string;
  setReason: (reason: string) => void;
  /** Whether a change of what visitors get begins another round. */
  newRound: boolean;
  setNewRound: (newRound: boolean) => void;
  save: (change: Change, done?: () => void) => void;
  undo: () => void;
  canUndo: boolean;
  redo: () => void;
  canRedo: boolean;
  saving: boolean;
  error: Error | null;
  /** Own changes that met somebody else's of the same fields; null when there are none. */
  clash: Clash | null;
  settle: (useMine: boolean) => void;
  errorFor: (field: string) => string | undefined;
  /** What is wrong with a field or any part of it. */
  errorsIn: (field: string) => string[];
}

const Context = createContext<Editing | null>(null);

export function useEditing(): Editing {
  const editing = useContext(Context);
  if (!editing) throw new Error("useEditing is for parts inside <EditingProvider>");
  return editing;
}

type Turn = { kind: "edit"; change: Change } | { kind: "undo" | "redo" };

/** Saves one change after another, each on the version the one before has made; keeps what undo and redo need. */
export function EditingProvider({ experiment, children }: { experiment: Experiment; children: ReactNode }) {
  const cache = useQueryClient();
  const keep = useKeep();
  const { data: session } = useSession();
  const place = `${session?.account?.username ?? ""}/${experiment.key}`;
  const { steps, latest, take: taken } = useSteps(place);
  const [reason, setReason] = useState("");
  const [newRound, setNewRound] = useState(false);
  const [clash, setClash] = useState<Clash | null>(null);
  // The last refusal, and how many changes had been made when it came: one made later that goes well ends it.
  const [failure, setFailure] = useState<{ error: Error; after: number } | null>(null);
  const made = useRef(0);
  const [open, setOpen] = useState(0);
  const key = experiment.key;

  const edit = useMutation({
    scope: editsOf(key),
    networkMode: "always",
    mutationFn: async ({ turn }: { turn: Turn; number: number }) => {
      const present = cache.getQueryData<Experiment>(keys.experiment(key)) ?? experiment;
      // Which step is the last one is known when its turn has come.
      const change = turn.kind === "edit" ? turn.change : latest.current[turn.kind].at(-1);
      if (!change) return null;
      const { saved, before } = await saveEdit({ change, present, reason, newRound });
      return { saved, before, began: saved.round !== present.round };
    },
    onSuccess: async (edited, { turn, number }) => {
      if (!edited) return;
      taken(turn.kind, edited.before);
      setFailure((last) => (last && number > last.after ? null : last));
      if (edited.began) {
        setReason("");
        setNewRound(false);
      }
      await keep(edited.saved);
    },
    onError: async (error) => {
      if (!(error instanceof Clash)) return setFailure({ error, after: made.current });
      setClash(error);
      await keep(error.present);
    },
    onSettled: () => setOpen((count) => count - 1),
  });
  useUnsaved(open > 0);

  const mayAct = (session?.account?.may_edit ?? false) && !experiment.round_of;
  const { mutate } = edit;
  const error = failure?.error ?? null;
  const canUndo = steps.undo.length > 0;
  const canRedo = steps.redo.length > 0;
  const saving = open > 0;
  // Made again only when something of it has changed, so that a poll for notices does not draw all parts of a sheet.
  const value = useMemo<Editing>(() => {
    const go = (turn: Turn, done?: () => void) => {
      setOpen((count) => count + 1);
      mutate({ turn, number: ++made.current }, done && { onSuccess: done });
    };
    return {
      experiment,
      mayEdit: mayAct && !["decided", "tailored", "archived"].includes(experiment.state),
      mayAct,
      locked: experiment.rule_locked_at !== null,
      ruleLocked: experiment.rule_locked_at !== null && !reason,
      reason,
      setReason,
      newRound,
      setNewRound,
      save: (change, done) => go({ kind: "edit", change }, done),
      undo: () => go({ kind: "undo" }),
      canUndo,
      redo: () => go({ kind: "redo" }),
      canRedo,
      saving,
      error,
      clash,
      settle: (useMine) => {
        if (useMine && clash) go({ kind: "edit", change: clash.mine });
        setClash(null);
      },
      errorFor: (field) => (error instanceof Problem ? error.fields[field] : undefined),
      errorsIn: (field) =>
        error instanceof Problem
          ? Object.entries(error.fields).flatMap(([name, text]) =>
              name === field || name.startsWith(`${field}.`) ? [text] : [],
            )
          : [],
    };
  }, [experiment, mayAct, reason, newRound, canUndo, canRedo, saving, error, clash, mutate]);
  return (
    <Context value={value}>
      <DraftPlace value={place}>{children}</DraftPlace>
    </Context>
  );
}
