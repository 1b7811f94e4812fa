import { useState } from "react";
import { useChooseBreakdowns } from "../../api/running";
import { PropertyLines } from "../../library/PropertyLines";
import { useEditing } from "../editing";

/** What the evidence of this experiment is broken down by, in addition to the properties that are kept in all of them. */
export function Breakdowns() {
  const { experiment, mayEdit } = useEditing();
  const choose = useChooseBreakdowns(experiment.key);
  const [open, setOpen] = useState(false);
  if (!mayEdit) return null;
  return (
    <div className="mt-2">
      <button className="btn btn-xs" aria-expanded={open} onClick={() => setOpen(!open)}>
        Break down by other properties…
      </button>
      {open && (
        <div className="mt-2 max-w-xl">
          <PropertyLines
            lines={experiment.breakdowns}
            save={(lines, done) => choose.mutate(lines, { onSuccess: done })}
            busy={choose.isPending}
            error={choose.error}
            mayEdit
          />
          <p className="quiet mt-1 text-sm">
            {experiment.data_from === "events"
              ? "Of this experiment only; what has come in is counted again. Two joined by & are crossed."
              : "Of this experiment only, and of files of units that are brought in from now on. Two joined by & are crossed."}
          </p>
        </div>
      )}
    </div>
  );
}
