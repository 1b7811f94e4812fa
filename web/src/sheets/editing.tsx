import { useMutation, useQueryClient } from "@tanstack/react-query";
import { createContext, useContext, useMemo, useRef, useState, type ReactNode } from "react";
import {
  client,
  Problem,
  take,
  type Experiment,
  type ExperimentChanges,
  type MetricUseIn,
  type Variant,
} from "../api/client";
import { useKeep, useSession } from "../api/hooks";
import { editsOf, keys } from "../api/keys";

export type Change = ExperimentChanges | ((latest: Experiment) => ExperimentChanges);

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
  /** Changes of fields; those of a list are made from the experiment as it is when their turn comes. */
  save: (changes: Change, done?: () => void) => void;
  undo: () => void;
  canUndo: boolean;
  saving: boolean;
  error: Error | null;
  /** Own changes that met somebody else's; null when there are none. */
  clash: ExperimentChanges | null;
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

/** Saves one change after another, each on the version the one before has made; keeps what undo needs. */
export function EditingProvider({ experiment, children }: { experiment: Experiment; children: ReactNode }) {
  const cache = useQueryClient();
  const keep = useKeep();
  const { data: session } = useSession();
  const past = useRef<ExperimentChanges[]>([]);
  const [depth, setDepth] = useState(0);
  const [reason, setReason] = useState("");
  const [newRound, setNewRound] = useState(false);
  const [clash, setClash] = useState<ExperimentChanges | null>(null);
  const key = experiment.key;
  const latest = () => cache.getQueryData<Experiment>(keys.experiment(key)) ?? experiment;

  const edit = useMutation({
    scope: editsOf(key),
    mutationFn: async ({ change }: { change: Change; undoing: boolean }) => {
      const present = latest();
      const changes = typeof change === "function" ? change(present) : change;
      const before = pick(present, changes);
      const saved = await take(
        client.PATCH("/api/v1/experiments/{key}", {
          params: { path: { key } },
          body: { version: present.version, changes, reason, new_round: newRound },
        }),
      );
      return { saved, before, began: saved.round !== present.round };
    },
    onSuccess: async ({ saved, before, began }, { undoing }) => {
      if (!undoing) past.current.push(before);
      setDepth(past.current.length);
      if (began) {
        setReason("");
        setNewRound(false);
      }
      await keep(saved);
    },
    onError: (error, { change }) => {
      if (!(error instanceof Problem && error.stale)) return;
      setClash(typeof change === "function" ? change(latest()) : change);
      void cache.invalidateQueries({ queryKey: keys.experiment(key) });
    },
  });

  const mayAct = (session?.account?.may_edit ?? false) && !experiment.round_of;
  const { mutate, reset, error, isPending: saving } = edit;
  // Made again only when something of it has changed, so that a poll for notices does not draw all parts of a sheet.
  const value = useMemo<Editing>(
    () => ({
      experiment,
      mayEdit: mayAct && !["decided", "tailored", "archived"].includes(experiment.state),
      mayAct,
      locked: experiment.rule_locked_at !== null,
      ruleLocked: experiment.rule_locked_at !== null && !reason,
      reason,
      setReason,
      newRound,
      setNewRound,
      save: (change, done) => mutate({ change, undoing: false }, done && { onSuccess: done }),
      undo: () => {
        const before = past.current.pop();
        if (before) mutate({ change: before, undoing: true });
      },
      canUndo: depth > 0,
      saving,
      error,
      clash,
      settle: (useMine) => {
        if (useMine && clash) mutate({ change: clash, undoing: false });
        else reset();
        setClash(null);
      },
      errorFor: (field) => (error instanceof Problem ? error.fields[field] : undefined),
      errorsIn: (field) =>
        error instanceof Problem
          ? Object.entries(error.fields).flatMap(([name, text]) =>
              name === field || name.startsWith(`${field}.`) ? [text] : [],
            )
          : [],
    }),
    [experiment, mayAct, reason, newRound, depth, saving, error, clash, mutate, reset],
  );
  return <Context value={value}>{children}</Context>;
}

/** The present values of the fields that are about to change. */
function pick(experiment: Experiment, changes: ExperimentChanges): ExperimentChanges {
  const before = Object.fromEntries(
    Object.keys(changes).map((field) => [field, experiment[field as keyof Experiment]]),
  ) as ExperimentChanges;
  if (changes.variants) before.variants = variantsIn(experiment);
  if (changes.metrics) before.metrics = metricsIn(experiment);
  return before;
}

/** The variants as they are sent back. */
export function variantsIn(experiment: Experiment): Variant[] {
  return experiment.variants.map(({ id, name, changes, parameters, link, address, page_changes, weight }) => ({
    id,
    name,
    changes,
    parameters,
    link,
    address,
    page_changes,
    weight,
  }));
}

/** The metrics as they are sent back. */
export function metricsIn(experiment: Experiment): MetricUseIn[] {
  return experiment.metrics.map(
    ({ name, role, margin, baseline, standard_deviation, before_days, strata, direction }) => ({
      name,
      role,
      margin: margin ?? null,
      baseline: baseline ?? null,
      standard_deviation: standard_deviation ?? null,
      before_days: before_days ?? null,
      strata: strata ?? null,
      direction: direction ?? null,
      new: false,
    }),
  );
}
