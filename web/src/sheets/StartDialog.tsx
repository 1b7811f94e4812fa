import { useState } from "react";
import { Problem } from "../api/client";
import { useZone, type Step } from "../api/hooks";
import { FormError } from "../parts/basics";
import { Dialog } from "../parts/Dialog";
import { useEditing } from "./editing";
import { StartSummary } from "./StartSummary";
import { DayInput } from "../parts/DayInput";

interface Props {
  close: () => void;
  run: (step: Step) => void;
  working: boolean;
  error: Error | null;
}

/** Start now, on an earlier day, or at a time to come. What is not ready is listed, and needs a reason to be passed over. */
export function StartDialog({ close, run, working, error }: Props) {
  const { experiment } = useEditing();
  const [later, setLater] = useState(experiment.state === "scheduled");
  const [day, setDay] = useState("");
  const [startsAt, setStartsAt] = useState("");
  const [endsAt, setEndsAt] = useState("");
  const [reason, setReason] = useState("");
  const unmet = error instanceof Problem ? error.unmet : [];
  const zone = useZone();
  return (
    <Dialog title={later ? "Schedule the start" : "Start and lock the decision rule"} close={close}>
      <StartSummary experiment={experiment} />
      <p className="quiet mt-3 text-sm">
        From the start on the metrics and the sizes cannot change; names and remarks can. This rule and the split change
        only for a reason, which the report shows.
      </p>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          run({
            kind: "start",
            started_on: later ? null : day || null,
            starts_at: later ? startsAt : null,
            ends_at: endsAt || null,
            reason,
          });
        }}
      >
        <label className="mt-3 flex items-center gap-2">
          <input
            type="checkbox"
            className="checkbox checkbox-sm"
            checked={later}
            onChange={(event) => setLater(event.target.checked)}
          />
          At a time to come
        </label>
        {later ? (
          <label className="mt-2 flex flex-wrap items-center gap-3">
            <span className="w-20">Start</span>
            <DayInput label="Start" timed required value={startsAt} change={setStartsAt} />
            <span className="quiet text-sm">{zone} time</span>
          </label>
        ) : (
          <label className="mt-2 flex flex-wrap items-center gap-3">
            <span className="w-20">First day</span>
            <DayInput label="First day" value={day} change={setDay} aria-describedby="start-note" />
            <span id="start-note" className="quiet text-sm">
              empty for now; an earlier day if visitors were split already
            </span>
          </label>
        )}
        <label className="mt-2 flex flex-wrap items-center gap-3">
          <span className="w-20">End</span>
          <DayInput label="End" timed value={endsAt} change={setEndsAt} aria-describedby="end-note" />
          <span id="end-note" className="quiet text-sm">
            {zone} time; empty: somebody ends it
          </span>
        </label>
        {unmet.length > 0 ? (
          <div role="alert" className="mt-3 border-l-4 border-l-warning pl-3">
            <p className="font-semibold">Not everything is ready:</p>
            <ul className="mb-2 list-disc pl-5 text-sm">
              {unmet.map((label) => (
                <li key={label}>{label}: not yet</li>
              ))}
            </ul>
            <label>
              <span className="quiet block text-sm">Why start all the same? The ledger keeps it.</span>
              <input
                className="input input-sm w-full"
                value={reason}
                onChange={(event) => setReason(event.target.value)}
                placeholder="the checks were made on the test site"
              />
            </label>
          </div>
        ) : (
          <FormError error={error} />
        )}
        <div className="mt-4 flex justify-end gap-2">
          <button type="button" className="btn btn-sm" onClick={close}>
            Cancel
          </button>
          <button
            className="btn btn-sm btn-primary"
            disabled={working || (later && !startsAt) || (unmet.length > 0 && !reason.trim())}
          >
            {later ? "Schedule" : "Start"}
          </button>
        </div>
      </form>
    </Dialog>
  );
}
