import { useState } from "react";
import { useEditing } from "./editing";

interface Props {
  /** What opens, as the subject of a sentence: "The rule". */
  what: string;
  /** Why a reason is asked. */
  ask: string;
}

/** After the start some things open only for a reason, which everybody will read. */
export function ForAReason({ what, ask }: Props) {
  const { reason, setReason } = useEditing();
  const [typed, setTyped] = useState("");
  const [asking, setAsking] = useState(false);
  if (reason)
    return (
      <p className="tone-warning mb-2 text-sm" role="status">
        {what} can be changed now; each change is kept with the reason “{reason}” and shown in the report.{" "}
        <button className="link" onClick={() => setReason("")}>
          Lock it again
        </button>
      </p>
    );
  if (!asking)
    return (
      <button className="btn btn-xs mb-2" onClick={() => setAsking(true)}>
        Change for a reason…
      </button>
    );
  return (
    <form
      className="mb-2 flex flex-wrap items-end gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (typed.trim()) setReason(typed.trim());
      }}
    >
      <label className="grow text-sm">
        <span className="quiet block">{ask} The report shows the reason.</span>
        <input
          autoFocus
          className="input input-sm w-full"
          value={typed}
          onChange={(event) => setTyped(event.target.value)}
        />
      </label>
      <button type="button" className="btn btn-sm" onClick={() => setAsking(false)}>
        Cancel
      </button>
      <button className="btn btn-sm btn-primary">Open for change</button>
    </form>
  );
}

/** Whether what visitors get opens for a reason, and whether such a change begins another round. */
export function DeliveryForAReason() {
  const { mayEdit, locked, reason, newRound, setNewRound, experiment } = useEditing();
  if (!mayEdit || !locked) return null;
  return (
    <>
      <ForAReason
        what="What visitors get"
        ask="Why must it change after the start? Days before and after will be of different things."
      />
      {reason && ["running", "paused"].includes(experiment.state) && (
        <label className="mb-2 flex items-center gap-2 text-sm">
          <input
            type="checkbox"
            className="checkbox checkbox-sm"
            checked={newRound}
            onChange={(event) => setNewRound(event.target.checked)}
          />
          The data so far no longer compare: begin another round with the change
        </label>
      )}
    </>
  );
}
