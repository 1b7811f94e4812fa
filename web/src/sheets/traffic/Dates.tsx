import { DayField } from "../../parts/fields";
import { useState } from "react";
import { Link } from "react-router";
import { useStep, useZone } from "../../api/hooks";
import { moment, weekday } from "../../lib/format";
import { FormError, Panel } from "../../parts/basics";
import { useEditing } from "../editing";
import { DayInput } from "../../parts/DayInput";

/** Start and end: planned, at a time, and as they were. */
export function Dates() {
  const { experiment, save, mayEdit, locked, errorFor } = useEditing();
  const zone = useZone();
  const running = experiment.state === "running" || experiment.state === "paused";
  return (
    <Panel
      fold={locked ? "dates" : undefined}
      title="Start and end"
      note={experiment.round > 1 ? `round ${experiment.round}` : undefined}
      line={[
        experiment.started_on && `started ${weekday(experiment.started_on)}`,
        experiment.last_day && `planned last day ${weekday(experiment.last_day)}`,
        experiment.ended_on && `ended ${weekday(experiment.ended_on)}`,
      ]
        .filter(Boolean)
        .join(", ")}
    >
      <div className="flex flex-wrap items-end gap-8">
        {!locked && experiment.state === "draft" && (
          <DayField
            label="Planned first day"
            value={experiment.planned_start ?? ""}
            save={(planned_start) => save({ planned_start: planned_start || null })}
            locked={!mayEdit}
            error={errorFor("planned_start")}
          />
        )}
        {experiment.starts_at && <Fact label="Starts" value={moment(experiment.starts_at, zone)} />}
        <Fact label="Started" value={experiment.started_on ? weekday(experiment.started_on) : "not yet"} />
        <Fact
          label="Planned last day"
          value={experiment.last_day ? weekday(experiment.last_day) : "follows from the start"}
        />
        {experiment.read_after && experiment.read_after !== experiment.last_day && (
          <Fact label="Conversion windows closed" value={weekday(experiment.read_after)} />
        )}
        {experiment.ended_on && <Fact label="Ended" value={weekday(experiment.ended_on)} />}
        {running && mayEdit && <EndTime />}
        {running && !mayEdit && experiment.ends_at && <Fact label="Ends" value={moment(experiment.ends_at, zone)} />}
      </div>
      {experiment.rounds.length > 0 && (
        <ul className="quiet mt-2 text-sm">
          {experiment.rounds.map((round) => (
            <li key={round.number}>
              <Link className="link" to={`/experiments/${round.key}/evidence`}>
                Round {round.number}
              </Link>
              , {weekday(round.started_on)} to {weekday(round.ended_on)}, {round.units.toLocaleString("en-GB")}{" "}
              {experiment.unit_name}
            </li>
          ))}
        </ul>
      )}
    </Panel>
  );
}

function EndTime() {
  const { experiment } = useEditing();
  const zone = useZone();
  const step = useStep(experiment.key);
  const [typed, setTyped] = useState("");
  return (
    <div>
      <span className="quiet block text-sm">
        {experiment.ends_at ? `Ends by itself ${moment(experiment.ends_at, zone)}` : "Ends by hand"}
      </span>
      <form
        className="flex flex-wrap items-center gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          step.mutate({ kind: "end-time", ends_at: typed });
        }}
      >
        <DayInput label="End" timed aria-label={`End at, ${zone} time`} value={typed} change={setTyped} />
        <span className="quiet text-sm">{zone} time</span>
        <button className="btn btn-sm" disabled={!typed || step.isPending}>
          Set
        </button>
        {experiment.ends_at && (
          <button
            type="button"
            className="btn btn-sm"
            disabled={step.isPending}
            onClick={() => step.mutate({ kind: "end-time", ends_at: null })}
          >
            By hand
          </button>
        )}
      </form>
      <FormError error={step.error} />
    </div>
  );
}

function Fact({ label, value }: { label: string; value: string }) {
  return (
    <div>
      <span className="quiet block text-sm">{label}</span>
      <span className="font-semibold">{value}</span>
    </div>
  );
}
