import { useState } from "react";
import { useNavigate } from "react-router";
import type { Experiment } from "../api/client";
import { useStep, type Step } from "../api/hooks";
import { useCopyRegionTest } from "../api/regions";
import { FormError } from "../parts/basics";
import { Dialog } from "../parts/Dialog";
import { HandOver } from "../parts/Steps";
import { useEditing } from "./editing";
import { RegionStart } from "./regions/RegionStart";
import { StartDialog } from "./StartDialog";

type Move = "pause" | "resume" | "end" | "archive" | "restore" | "unschedule" | "to-draft" | "new-round";
const MOVES: Record<Experiment["state"], { move: Move; label: string }[]> = {
  draft: [{ move: "archive", label: "Archive" }],
  scheduled: [{ move: "unschedule", label: "Cancel the schedule" }],
  running: [
    { move: "pause", label: "Pause" },
    { move: "end", label: "End" },
  ],
  paused: [
    { move: "resume", label: "Resume" },
    { move: "end", label: "End" },
  ],
  ended: [
    { move: "new-round", label: "New round" },
    { move: "archive", label: "Archive" },
  ],
  decided: [
    { move: "new-round", label: "New round" },
    { move: "archive", label: "Archive" },
  ],
  tailored: [
    { move: "to-draft", label: "Back to preparation" },
    { move: "archive", label: "Archive" },
  ],
  archived: [{ move: "restore", label: "Restore" }],
};

const ASKED: Partial<Record<Move, { title: string; text: string; yes: string }>> = {
  pause: {
    title: "Pause the experiment?",
    text: "No new visitors take part until it is resumed. Events of those already in go on being counted.",
    yes: "Pause",
  },
  end: {
    title: "End the experiment?",
    text: "No more visitors take part from now on. Counts of the days before can still be brought in. This cannot be undone; another round can be run, or the experiment copied.",
    yes: "End",
  },
  "new-round": {
    title: "Start a new round?",
    text: "The same experiment becomes a draft again, with visitors assigned again. This round stays to be read as it is, and no longer decides.",
    yes: "New round",
  },
};

const END_BY_REGION =
  "Nothing more is compared from now on; days before can still be brought in. Ended before its planned last day it stays unresolved, whatever it shows. This cannot be undone.";
/** What visitors get does not change by region, so that only these are there. */
const BY_REGION: Move[] = ["end", "archive", "restore"];
const PLAN_GOES_ON =
  "The plan goes on: the next round begins by the same rule once it is started, with visitors assigned again, and is read together with those before it.";

function stepOf(move: Move, hold: boolean): Step {
  return move === "pause" || move === "end" ? { kind: move, hold } : { kind: move };
}

/** What can be done to the experiment as a whole, by its state; a plan that a look has `settled` goes on in no further round. */
export function StateActions({ settled = false }: { settled?: boolean }) {
  const { experiment, mayAct } = useEditing();
  const step = useStep(experiment.key);
  const copy = useCopyRegionTest(experiment.key);
  const navigate = useNavigate();
  const [asking, setAsking] = useState<Move | "start" | null>(null);
  const [hold, setHold] = useState(true);
  const [giving, setGiving] = useState(false);
  if (!mayAct) return null;
  const goesOn = experiment.state === "ended" && experiment.rounds_left > 0 && !settled;
  // From a dialog, which closes when it is done.
  const run = (what: Step) => step.mutate(what, { onSuccess: () => setAsking(null) });
  const open = (made: Experiment) => void navigate(`/experiments/${made.key}/brief`);
  const make = async (kind: "copy" | "follow-up") => {
    open(await step.mutateAsync({ kind }));
  };
  return (
    <div className="no-print mt-4">
      {(experiment.state === "draft" || experiment.state === "scheduled") && (
        <button className="btn btn-primary btn-sm mb-2 w-full" onClick={() => setAsking("start")}>
          Start it…
        </button>
      )}
      {!experiment.by_region && experiment.state === "decided" && !["", "none"].includes(experiment.decision) && (
        <button
          className="btn btn-sm mb-2 w-full"
          disabled={step.isPending}
          onClick={() => void make("follow-up").catch(() => undefined)}
        >
          Next round from the winner
        </button>
      )}
      <div className="flex flex-wrap gap-2">
        {MOVES[experiment.state]
          .filter(({ move }) => !experiment.by_region || BY_REGION.includes(move))
          .map(({ move, label }) => (
            <button
              key={move}
              className="btn btn-sm grow"
              disabled={step.isPending}
              onClick={() => (move in ASKED ? setAsking(move) : step.mutate(stepOf(move, hold)))}
            >
              {move === "new-round" && goesOn ? "Next round of the plan" : label}
              {ASKED[move] && "…"}
            </button>
          ))}
        <button
          className="btn btn-sm grow"
          disabled={copy.isPending || step.isPending}
          onClick={() =>
            experiment.by_region
              ? copy.mutate(undefined, { onSuccess: open })
              : void make("copy").catch(() => undefined)
          }
        >
          Copy
        </button>
        <button className="btn btn-sm grow" onClick={() => setGiving(true)}>
          Hand over…
        </button>
      </div>
      {giving && <HandOver rows={[experiment]} close={() => setGiving(false)} />}
      {asking === null && <FormError error={step.error ?? copy.error} />}
      {asking === "start" && experiment.by_region && <RegionStart close={() => setAsking(null)} />}
      {asking === "start" && !experiment.by_region && (
        <StartDialog close={() => setAsking(null)} run={run} working={step.isPending} error={step.error} />
      )}
      {asking !== null && asking !== "start" && (
        <Dialog title={ASKED[asking]?.title ?? ""} close={() => setAsking(null)}>
          <p>
            {asking === "new-round" && goesOn
              ? PLAN_GOES_ON
              : asking === "end" && experiment.by_region
                ? END_BY_REGION
                : ASKED[asking]?.text}
          </p>
          {(asking === "pause" || asking === "end") && experiment.data_from === "events" && (
            <fieldset className="mt-3 text-sm">
              <legend className="quiet">Those already in</legend>
              {[
                { value: true, label: "keep the variant they have" },
                { value: false, label: "get control, at once" },
              ].map(({ value, label }) => (
                <label key={label} className="flex items-center gap-2">
                  <input
                    type="radio"
                    name="hold"
                    className="radio radio-sm"
                    checked={hold === value}
                    onChange={() => setHold(value)}
                  />
                  {label}
                </label>
              ))}
            </fieldset>
          )}
          <FormError error={step.error} />
          <div className="mt-4 flex justify-end gap-2">
            <button className="btn btn-sm" onClick={() => setAsking(null)}>
              Cancel
            </button>
            <button
              className="btn btn-sm btn-primary"
              disabled={step.isPending}
              onClick={() => run(stepOf(asking, hold))}
            >
              {ASKED[asking]?.yes}
            </button>
          </div>
        </Dialog>
      )}
    </div>
  );
}
