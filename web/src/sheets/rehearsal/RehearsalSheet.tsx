import { useState } from "react";
import { Link } from "react-router";
import type { Rehearsal } from "../../api/client";
import { useCancelRehearsal, useRehearsal, useRehearse } from "../../api/hooks";
import { questionNamed } from "../../api/vocabulary";
import { PathsPicture } from "../../charts/PathsPicture";
import { count, percentText, signed } from "../../lib/format";
import { fromCanonical } from "../../lib/numbers";
import { NumberInput } from "../../parts/NumberInput";
import { Empty, Failure, FormError, Panel, Skeleton } from "../../parts/basics";
import { Running } from "../../parts/Running";
import { useEditing } from "../editing";
import { WorldTable, worldName } from "./WorldTable";

/** The plan run thousands of times before the first visitor comes. */
export function RehearsalSheet() {
  const { experiment } = useEditing();
  const latest = useRehearsal(experiment.key);
  if (latest.isPending) return <Skeleton />;
  if (latest.isError) return <Failure error={latest.error} again={() => void latest.refetch()} />;
  const rehearsal = latest.data.rehearsal;
  if (!experiment.plan)
    return (
      <Empty title="Nothing to rehearse yet">
        A rehearsal runs the plan. Say on{" "}
        <Link className="link" to={`/experiments/${experiment.key}/sizing`}>
          Sizing
        </Link>{" "}
        what the level is today and how many come each day.
      </Empty>
    );
  return (
    <>
      <Ask rehearsal={rehearsal} />
      {rehearsal?.state === "done" && <Outcome rehearsal={rehearsal} />}
    </>
  );
}

function Ask({ rehearsal }: { rehearsal: Rehearsal | null }) {
  const { experiment, mayEdit } = useEditing();
  const begin = useRehearse(experiment.key);
  const cancel = useCancelRehearsal(experiment.key);
  const [runs, setRuns] = useState(String(rehearsal?.runs ?? 10_000));
  const [seed, setSeed] = useState(String(rehearsal?.seed ?? 1));
  const [lift, setLift] = useState(percentText(rehearsal?.own_lift));
  const [wrong, setWrong] = useState("");
  const running = rehearsal?.state === "running";
  const submit = () => {
    const [n, s, own] = [fromCanonical(runs), fromCanonical(seed), fromCanonical(lift)];
    if (!Number.isInteger(n) || !Number.isInteger(s) || Number.isNaN(own)) {
      setWrong("Runs and seed must be whole numbers, and the lift a number such as 5");
      return;
    }
    setWrong("");
    begin.mutate({ runs: n ?? 10_000, seed: s ?? 1, own_lift: own === null ? null : own / 100 });
  };
  return (
    <Panel
      title="Rehearsal"
      note={`${experiment.plan?.sentence ?? ""} Run in simulation, with a week’s rhythm, and read by the decision rule.${experiment.allocation ? " Here with even shares; what following them would bring is on Traffic." : ""}`}
    >
      <form
        className="flex flex-wrap items-end gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          submit();
        }}
      >
        <Field label="Runs" value={runs} set={setRuns} />
        <Field label="Seed" value={seed} set={setSeed} />
        <Field label="A true lift of your own, %" value={lift} set={setLift} wide />
        {mayEdit && (
          <button className="btn btn-sm btn-primary" disabled={running || begin.isPending}>
            {rehearsal?.state === "done" && !rehearsal.stale ? "Rehearse again" : "Rehearse"}
          </button>
        )}
      </form>
      {running && <Running progress={rehearsal.progress} cancel={mayEdit ? () => cancel.mutate(rehearsal.id) : null} />}
      <p className="quiet mt-2 text-sm" role="status">
        {running && "It continues in the background."}
        {rehearsal?.state === "cancelled" && "Cancelled; no results were kept."}
        {rehearsal?.state === "failed" && rehearsal.problem}
        {!rehearsal &&
          "It shows how often each verdict comes, when, and how wrong the estimate is, if there is no effect, the lift or margin of the plan, or one of your choice."}
        {rehearsal?.state === "done" && rehearsal.stale && (
          <span className="tone-warning">The plan has changed since; these results are of the earlier plan.</span>
        )}
      </p>
      {wrong && (
        <p role="alert" className="text-sm text-error">
          {wrong}
        </p>
      )}
      <FormError error={begin.error ?? cancel.error} />
    </Panel>
  );
}

interface FieldProps {
  label: string;
  value: string;
  set: (value: string) => void;
  wide?: boolean;
}

function Field({ label, value, set, wide = false }: FieldProps) {
  return (
    <label className="text-sm">
      <span className="quiet block">{label}</span>
      <NumberInput className={`input-sm ${wide ? "w-36" : "w-24"}`} value={value} change={set} />
    </label>
  );
}

function Outcome({ rehearsal }: { rehearsal: Rehearsal }) {
  const { experiment } = useEditing();
  const [shown, setShown] = useState(1);
  const world = rehearsal.worlds[shown] ?? rehearsal.worlds[0];
  const [none, other] = rehearsal.worlds;
  const question = questionNamed(experiment.question);
  if (!world || !none || !other) return null;
  return (
    <>
      <Panel title="Results" note={`${count(rehearsal.runs)} runs, seed ${rehearsal.seed}`}>
        <p className="mb-2 font-serif text-lg leading-snug">
          {question.about_zero
            ? `If ${signed(other.lift)} is true, the rule finds it ${percent(other.right_winners.share)} of the time. If nothing is true, it declares a winner ${percent(none.false_winners.share)} of the time; looking every day and stopping at the first good number would, ${percent(none.peeking_winners.share)}.`
            : `If nothing differs, the variant would ${question.yes} ${percent(none.right_winners.share)} of the time. If the true lift is ${signed(other.lift)}, as large as the margin, it would ${percent(other.false_winners.share)} of the time, wrongly.`}
        </p>
        <div className="mt-3 mb-1 flex items-baseline gap-3">
          <h3 className="font-sans text-sm font-semibold">A hundred of the runs</h3>
          <span className="quiet grow text-sm">a line ends where a verdict came</span>
          <span className="join" role="group" aria-label="World">
            {rehearsal.worlds.map((line, index) => (
              <button
                key={line.key}
                className={`btn btn-xs join-item ${index === shown ? "btn-primary" : ""}`}
                aria-pressed={index === shown}
                onClick={() => setShown(index)}
              >
                {worldName(line)}
              </button>
            ))}
          </span>
        </div>
        <PathsPicture
          world={world}
          days={rehearsal.days}
          worthwhile={experiment.worthwhile_lift}
          question={question}
          good={experiment.good_direction === "up" ? 1 : -1}
        />
      </Panel>
      <Panel title="In figures">
        <WorldTable rehearsal={rehearsal} metric={experiment.metric} units={experiment.unit_name} question={question} />
      </Panel>
    </>
  );
}

function percent(share: number): string {
  return `${(share * 100).toFixed(1)}%`;
}
