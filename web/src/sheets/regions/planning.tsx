import { createContext, useContext, useMemo, useRef, useState, type ReactNode } from "react";
import { Problem } from "../../api/client";
import { useEditRegions, useRegionPlan, type RegionChanges, type RegionPlan } from "../../api/regions";
import { Failure, Skeleton } from "../../parts/basics";
import { useEditing } from "../editing";

interface Planning {
  plan: RegionPlan;
  /** Whether the plan may still change: by an analyst, before the start. */
  mayPlan: boolean;
  /** Whether what the cells follow from may: before the draw, too. */
  open: boolean;
  save: (changes: RegionChanges) => void;
  undo: () => void;
  canUndo: boolean;
  saving: boolean;
  error: Error | null;
  errorFor: (field: string) => string | undefined;
}

const Context = createContext<Planning | null>(null);

export function useRegions(): Planning {
  const planning = useContext(Context);
  if (!planning) throw new Error("useRegions is for parts inside <RegionPlanning>");
  return planning;
}

/** The plan of a test by region, with what saves it; keeps what undo needs. */
export function RegionPlanning({ children }: { children: ReactNode }) {
  const { experiment } = useEditing();
  const answer = useRegionPlan(experiment.key);
  if (answer.isPending) return <Skeleton />;
  if (answer.isError) return <Failure error={answer.error} again={() => void answer.refetch()} />;
  return <Provider plan={answer.data}>{children}</Provider>;
}

function Provider({ plan, children }: { plan: RegionPlan; children: ReactNode }) {
  const { experiment, mayEdit } = useEditing();
  const edit = useEditRegions(experiment.key);
  const past = useRef<RegionChanges[]>([]);
  const [depth, setDepth] = useState(0);
  const { mutate, error, isPending: saving } = edit;
  const value = useMemo<Planning>(() => {
    const send = (changes: RegionChanges, undoing: boolean) => {
      const before = Object.fromEntries(
        Object.keys(changes).map((field) => [field, plan[field as keyof RegionPlan]]),
      ) as RegionChanges;
      mutate(changes, {
        onSuccess: () => {
          if (!undoing) past.current.push(before);
          setDepth(past.current.length);
        },
      });
    };
    return {
      plan,
      mayPlan: mayEdit && plan.locked_at === null,
      open: mayEdit && plan.cells === null,
      save: (changes) => send(changes, false),
      undo: () => {
        const before = past.current.pop();
        if (before) send(before, true);
      },
      canUndo: depth > 0,
      saving,
      error,
      errorFor: (field) => (error instanceof Problem ? error.fields[field] : undefined),
    };
  }, [plan, mayEdit, mutate, depth, saving, error]);
  return (
    <Context value={value}>
      <Said />
      {children}
    </Context>
  );
}

/** That a change was kept, with the way back; what was refused and belongs to no field. */
function Said() {
  const { error, canUndo, undo, saving } = useRegions();
  if (error && !(error instanceof Problem && Object.keys(error.fields).length > 0))
    return (
      <div role="alert" className="sheet border-l-4 border-l-error px-4 py-2">
        {error.message}
      </div>
    );
  if (!saving && !canUndo) return null;
  return (
    <div className="quiet flex items-center gap-2 text-sm" role="status">
      {saving ? "Saving…" : "Saved."}
      <button className="link" onClick={undo} disabled={!canUndo || saving}>
        Undo
      </button>
    </div>
  );
}
