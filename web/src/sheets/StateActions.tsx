import { useState } from "react";
import { useNavigate } from "react-router";
import type { Experiment } from "../api/client";
import { useSession, useStep, type Step } from "../api/hooks";
import { Dialog, FormError } from "../parts/basics";
import { useEditing } from "./editing";

type Move = "pause" | "resume" | "end" | "archive" | "restore";
const MOVES: Record<Experiment["state"], { move: Move; label: string }[]> = {
  draft: [{ move: "archive", label: "Archive" }],
  running: [
    { move: "pause", label: "Pause" },
    { move: "end", label: "End" },
  ],
  paused: [
    { move: "resume", label: "Resume" },
    { move: "end", label: "End" },
  ],
  ended: [{ move: "archive", label: "Archive" }],
  decided: [{ move: "archive", label: "Archive" }],
  archived: [{ move: "restore", label: "Restore" }],
};

const ASKED: Partial<Record<Move, string>> = {
  end: "No more visitors take part from now on. Counts of the days before can still be brought in. This cannot be undone; the experiment can be copied.",
};

/** What can be done to the experiment as a whole, by its state. */
export function StateActions() {
  const { experiment } = useEditing();
  const { data: session } = useSession();
  const step = useStep(experiment.key);
  const navigate = useNavigate();
  const [asking, setAsking] = useState<Move | "start" | null>(null);
  if (!session?.account?.may_edit) return null;
  // From a dialog, which closes when it is done.
  const run = (what: Step) => step.mutate(what, { onSuccess: () => setAsking(null) });
  const make = async (kind: "copy" | "follow-up") => {
    const made = await step.mutateAsync({ kind });
    void navigate(`/experiments/${made.key}/brief`);
  };
  return (
    <div className="no-print mt-4">
      {experiment.state === "draft" && (
        <button className="btn btn-primary btn-sm mb-2 w-full" onClick={() => setAsking("start")}>
          Start it…
        </button>
      )}
      {experiment.state === "decided" && !["", "none"].includes(experiment.decision) && (
        <button className="btn btn-sm mb-2 w-full" onClick={() => void make("follow-up").catch(() => undefined)}>
          Next round from the winner
        </button>
      )}
      <div className="flex flex-wrap gap-2">
        {MOVES[experiment.state].map(({ move, label }) => (
          <button
            key={move}
            className="btn btn-sm grow"
            disabled={step.isPending}
            onClick={() => (ASKED[move] ? setAsking(move) : step.mutate({ kind: move }))}
          >
            {label}
            {ASKED[move] && "…"}
          </button>
        ))}
        <button className="btn btn-sm grow" onClick={() => void make("copy").catch(() => undefined)}>
          Copy
        </button>
      </div>
      {asking === null && <FormError error={step.error} />}
      {asking === "start" && <StartDialog close={() => setAsking(null)} run={run} error={step.error} />}
      {asking !== null && asking !== "start" && (
        <Dialog title="End the experiment?" close={() => setAsking(null)}>
          <p>{ASKED[asking]}</p>
          <FormError error={step.error} />
          <div className="mt-4 flex justify-end gap-2">
            <button className="btn btn-sm" onClick={() => setAsking(null)}>
              Not now
            </button>
            <button className="btn btn-sm btn-primary" onClick={() => run({ kind: asking })}>
              End it
            </button>
          </div>
        </Dialog>
      )}
    </div>
  );
}

interface StartProps {
  close: () => void;
  run: (step: Step) => void;
  error: Error | null;
}

function StartDialog({ close, run, error }: StartProps) {
  const { experiment } = useEditing();
  const [day, setDay] = useState("");
  return (
    <Dialog title="Start and lock the decision rule" close={close}>
      <p className="mb-2">{experiment.rule_in_words}</p>
      <p className="quiet text-sm">
        From here on the metrics, the split and the sizes cannot change; names and remarks can. This rule changes only
        for a reason, which the report tells.
      </p>
      <label className="mt-3 flex items-center gap-3">
        <span>First day</span>
        <input
          type="date"
          className="input input-sm w-40"
          value={day}
          onChange={(event) => setDay(event.target.value)}
          aria-describedby="start-note"
        />
        <span id="start-note" className="quiet text-sm">
          empty for today; an earlier day if visitors were split already
        </span>
      </label>
      <FormError error={error} />
      <div className="mt-4 flex justify-end gap-2">
        <button className="btn btn-sm" onClick={close}>
          Not yet
        </button>
        <button className="btn btn-sm btn-primary" onClick={() => run({ kind: "start", started_on: day || null })}>
          Start
        </button>
      </div>
    </Dialog>
  );
}
