import { useState } from "react";
import { Link } from "react-router";
import type { FullHandover } from "../../api/client";
import { useHandover, useHandoverStep } from "../../api/outcome";
import { useWritten } from "../../lib/drafts";
import { day, plural } from "../../lib/format";
import { Dialog } from "../../parts/Dialog";
import { capital } from "../../lib/metrics";
import { errorOf, Failure, FormError, Panel, Skeleton } from "../../parts/basics";
import { TextField } from "../../parts/fields";
import { useEditing } from "../editing";
import { RolloutForm } from "./RolloutForm";
import { RolloutResult } from "./RolloutResult";

/** What must happen after the verdict: rollout, places to change by hand, what was learnt. */
export function HandoverPanel() {
  const { experiment, mayAct: mayEdit } = useEditing();
  const query = useHandover(experiment.key);
  if (query.isPending) return <Skeleton rows={3} />;
  if (query.isError) return <Failure error={query.error} again={() => void query.refetch()} />;
  return (
    <>
      {(experiment.state === "tailored" || !["", "none", "A"].includes(experiment.decision)) && (
        <RolloutPanel handover={query.data} mayEdit={mayEdit} />
      )}
      <Places handover={query.data} mayEdit={mayEdit} />
      <Lesson handover={query.data} mayEdit={mayEdit} />
    </>
  );
}

interface PartProps {
  handover: FullHandover;
  mayEdit: boolean;
}

/** What was learnt, alone: of a test by region, after which nothing is rolled out. */
export function LessonPanel() {
  const { experiment, mayAct } = useEditing();
  const query = useHandover(experiment.key);
  if (query.isPending) return <Skeleton rows={2} />;
  if (query.isError) return <Failure error={query.error} again={() => void query.refetch()} />;
  return <Lesson handover={query.data} mayEdit={mayAct} />;
}

function RolloutPanel({ handover, mayEdit }: PartProps) {
  const { experiment } = useEditing();
  const step = useHandoverStep(experiment.key);
  const [editing, setEditing] = useState(false);
  const [reason, setReason] = useState<string | null>(null);
  const [releasing, setReleasing] = useState(false);
  const { rollout } = handover;
  const open = handover.places.filter((place) => !place.done_at).length;
  const here = experiment.data_from === "events";
  return (
    <Panel
      title="Rollout"
      note={
        here ? "served from here until the release is there" : "a plan to follow; its traffic is shared out elsewhere"
      }
    >
      {rollout ? (
        <p>
          {rollout.lines.length === 1 && <b>{rollout.letter}: </b>}
          {rollout.lines.length === 1 ? rollout.sentence : capital(rollout.sentence)}.{" "}
          {rollout.released_at
            ? `In the product since ${day(rollout.released_at)}.`
            : rollout.stopped_at
              ? `Stopped on ${day(rollout.stopped_at)}.`
              : `Today: ${Math.round(rollout.share_today * 100)}%.`}
        </p>
      ) : (
        !editing && <p className="quiet">No rollout is planned yet.</p>
      )}
      {mayEdit && !editing && (
        <div className="mt-2 flex gap-2">
          <button className="btn btn-sm" onClick={() => setEditing(true)}>
            {rollout ? "Change the plan…" : "Plan the rollout…"}
          </button>
          {rollout && !rollout.stopped_at && reason === null && (
            <>
              <button className="btn btn-sm" onClick={() => setReleasing(true)}>
                In the product now…
              </button>
              <button className="btn btn-sm" onClick={() => setReason("")}>
                Stop it…
              </button>
            </>
          )}
        </div>
      )}
      {rollout?.released_at && open > 0 && (
        <p className="tone-warning mt-1 text-sm">{plural(open, "place")} below still to be changed by hand.</p>
      )}
      {releasing && (
        <Dialog title="In the product now" close={() => setReleasing(false)}>
          <p>
            {rollout?.letter} is then what the site shows by itself: nothing is served from here any more
            {rollout?.holdout ? ", and those held out get it too" : ""}. What was counted stays.
          </p>
          {open > 0 && <p className="tone-warning mt-2">{plural(open, "place")} still to be changed by hand.</p>}
          <div className="mt-4 flex justify-end gap-2">
            <button className="btn btn-sm" onClick={() => setReleasing(false)}>
              Cancel
            </button>
            <button
              className="btn btn-sm btn-primary"
              disabled={step.isPending}
              onClick={() => step.mutate({ kind: "release" }, { onSuccess: () => setReleasing(false) })}
            >
              End the rollout
            </button>
          </div>
        </Dialog>
      )}
      {reason !== null && (
        <form
          className="mt-2 flex items-end gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            step.mutate({ kind: "stop", reason }, { onSuccess: () => setReason(null) });
          }}
        >
          <label className="grow">
            <span className="quiet block text-sm">Why does it stop? Everybody gets A again at once.</span>
            <input className="input input-sm w-full" value={reason} onChange={(e) => setReason(e.target.value)} />
          </label>
          <button className="btn btn-sm btn-primary">Stop the rollout</button>
        </form>
      )}
      <FormError error={step.error} />
      {rollout?.result && <RolloutResult result={rollout.result} />}
      {editing && <RolloutForm rollout={rollout ?? null} close={() => setEditing(false)} />}
    </Panel>
  );
}

function Places({ handover, mayEdit }: PartProps) {
  const { experiment } = useEditing();
  const step = useHandoverStep(experiment.key);
  const { form, write, done } = useWritten("place to change", { text: "", who: "" });
  const open = handover.places.filter((place) => !place.done_at).length;
  const wrong = errorOf(step.error, "text");
  return (
    <Panel
      title="Places to change by hand"
      note={handover.places.length ? (open ? `${plural(open, "place")} still open` : "all done") : undefined}
    >
      {handover.places.length === 0 && (
        <p className="quiet text-sm">
          Where else does the old version appear? In the app, in mails, on posters, in help pages.
        </p>
      )}
      <ul className="divide-y divide-base-300">
        {handover.places.map((place) => (
          <li key={place.id} className="flex items-baseline gap-2 py-1.5">
            <label className="flex grow items-baseline gap-2">
              <input
                type="checkbox"
                className="checkbox checkbox-xs checkbox-primary translate-y-0.5"
                checked={!!place.done_at}
                disabled={!mayEdit || step.isPending}
                onChange={(event) => step.mutate({ kind: "tick-place", place: place.id, done: event.target.checked })}
              />
              <span className={place.done_at ? "quiet line-through" : ""}>{place.text}</span>
            </label>
            <span className="quiet text-sm">
              {place.done_at ? `${place.done_by}, ${day(place.done_at)}` : place.who}
            </span>
            {mayEdit && (
              <button
                className="btn btn-xs"
                aria-label={`Remove ${place.text}`}
                onClick={() => step.mutate({ kind: "remove-place", place: place.id })}
              >
                Remove
              </button>
            )}
          </li>
        ))}
      </ul>
      {mayEdit && (
        <form
          className="mt-2 flex flex-wrap gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            step.mutateAsync({ kind: "add-place", ...form }).then(done, () => undefined);
          }}
        >
          <input
            className="input input-sm grow"
            aria-label="A place to change"
            placeholder="A place: the price list in the harbour"
            aria-invalid={!!wrong}
            value={form.text}
            onChange={(event) => write({ text: event.target.value })}
          />
          <input
            className="input input-sm w-40"
            aria-label="Who changes it"
            placeholder="Who"
            value={form.who}
            onChange={(event) => write({ who: event.target.value })}
          />
          <button className="btn btn-sm" disabled={step.isPending}>
            Add
          </button>
        </form>
      )}
      <FormError error={step.error} />
    </Panel>
  );
}

function Lesson({ handover, mayEdit }: PartProps) {
  const { experiment } = useEditing();
  const step = useHandoverStep(experiment.key);
  const { learnt, why } = handover.lesson;
  return (
    <Panel
      title="What was learnt"
      note="in the report and in the casebook"
      action={
        <Link className="link text-sm" to="/casebook">
          Casebook
        </Link>
      }
    >
      <TextField
        label="What we know now that we did not know before"
        value={learnt ?? ""}
        lines={2}
        locked={!mayEdit}
        save={(text) => step.mutate({ kind: "lesson", learnt: text, why: why ?? "" })}
        error={errorOf(step.error, "learnt")}
      />
      <TextField
        label="Why we think so"
        value={why ?? ""}
        lines={2}
        locked={!mayEdit}
        save={(text) => step.mutate({ kind: "lesson", learnt: learnt ?? "", why: text })}
        error={errorOf(step.error, "why")}
      />
    </Panel>
  );
}
