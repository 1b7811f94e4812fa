import { useState } from "react";
import { useStep } from "../../api/hooks";
import { day } from "../../lib/format";
import { FormError, Panel } from "../../parts/basics";
import { useEditing } from "../editing";

/** What was decided, why and what follows, and the way back. */
export function Decided({ made }: { made: string }) {
  const { experiment, mayAct } = useEditing();
  const step = useStep(experiment.key);
  const [reason, setReason] = useState("");
  const [asking, setAsking] = useState(false);
  return (
    <Panel
      title="Decided"
      note={experiment.decided_at ? `${day(experiment.decided_at)}, ${experiment.decided_by}` : undefined}
    >
      <p className="text-lg">{made}</p>
      {experiment.decision_reason && <p className="mt-1">Why it differs from the rule: {experiment.decision_reason}</p>}
      {experiment.decision_next && <p className="mt-1">Next: {experiment.decision_next}</p>}
      {mayAct && !asking && (
        <button className="btn btn-xs mt-3" onClick={() => setAsking(true)}>
          Withdraw the decision…
        </button>
      )}
      {asking && (
        <form
          className="mt-3 flex items-end gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            step.mutate({ kind: "withdraw", reason });
          }}
        >
          <label className="grow">
            <span className="quiet block text-sm">Why is the decision withdrawn?</span>
            <input
              className="input input-sm w-full"
              value={reason}
              onChange={(event) => setReason(event.target.value)}
            />
          </label>
          <button className="btn btn-sm" disabled={step.isPending}>
            Withdraw
          </button>
        </form>
      )}
      <FormError error={step.error} />
    </Panel>
  );
}
