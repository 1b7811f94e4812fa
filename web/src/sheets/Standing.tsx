import { Link, useParams } from "react-router";
import type { Evidence, Experiment } from "../api/client";
import { verdictNamed } from "../api/vocabulary";
import { day, plural, weekday } from "../lib/format";
import { TONE_CLASS, TONE_COLOUR } from "../lib/words";
import { FactLine } from "../parts/basics";
import { Conditions } from "../parts/Conditions";
import { Headline } from "../parts/Headline";
import { Term } from "../parts/Term";
import { useEditing } from "./editing";
import { StateActions } from "./StateActions";

/** What can be said now, and what it would take to say more. */
export function Standing({ evidence }: { evidence: Evidence | undefined }) {
  const { experiment } = useEditing();
  const reading = evidence?.reading;
  return (
    <aside aria-label="Standing" className="min-w-0">
      {evidence ? <Seen evidence={evidence} experiment={experiment} /> : <Planned experiment={experiment} />}
      <StateActions settled={reading !== undefined && verdictNamed(reading.verdict).settled} />
    </aside>
  );
}

function Seen({ evidence, experiment }: { evidence: Evidence; experiment: Experiment }) {
  const { reading } = evidence;
  const look = verdictNamed(reading.verdict);
  const { mayAct } = useEditing();
  // The Verdict sheet itself has the headline, the conditions and the form.
  const elsewhere = useParams().sheet !== "verdict";
  const mayDecide = elsewhere && mayAct && ["running", "paused", "ended"].includes(experiment.state);
  return (
    <div className="border-t-[3px] pt-2" style={{ borderColor: TONE_COLOUR[look.tone] }}>
      <div className={`text-sm font-semibold ${TONE_CLASS[look.tone]}`}>
        <span aria-hidden>{look.mark}</span> <Term name={look.title} explanation={look.meaning} />
      </div>
      {elsewhere && (
        <>
          <Headline text={reading.headline} figure={reading.figure} tone={look.tone} className="mt-1 text-[21px]" />
          <p className="quiet mt-2 text-sm">{reading.detail}</p>
        </>
      )}
      {evidence.data_until && <p className="quiet mt-1 text-sm">{evidence.data_until}</p>}
      {reading.next_look && (
        <p className="mt-2 text-sm">
          Next look on {weekday(reading.next_look)}.{reading.read_on && ` Read on ${weekday(reading.read_on)}.`}
        </p>
      )}
      {mayDecide && (
        <Link
          to={`/experiments/${experiment.key}/verdict`}
          className={`btn btn-sm mt-3 w-full ${reading.verdict === "keep_collecting" ? "" : "btn-primary"}`}
        >
          {reading.verdict === "keep_collecting" ? "Decide early…" : "Record the decision"}
        </Link>
      )}
      {experiment.state === "decided" && (
        <Link to={`/reports/${experiment.key}`} className="btn btn-primary btn-sm mt-3 w-full">
          Open the report
        </Link>
      )}
      {elsewhere && (
        <>
          <h2 className="mt-4 mb-1 font-sans text-sm font-semibold">
            Conditions{experiment.rule_locked_at && ` set on ${day(experiment.rule_locked_at)}`}
          </h2>
          <Conditions reading={reading} />
        </>
      )}
      {!experiment.round_of && reading.warnings.length > 0 && (
        <>
          <h2 className="mt-4 mb-1 font-sans text-sm font-semibold">Before you decide</h2>
          {reading.warnings.map((line) => (
            <p key={line} className="quiet mb-1 text-sm">
              {line}
            </p>
          ))}
        </>
      )}
    </div>
  );
}

function Planned({ experiment }: { experiment: Experiment }) {
  const plan = experiment.plan;
  if (experiment.state === "tailored")
    return (
      <div className="border-t-[3px] border-neutral pt-2">
        <div className="quiet text-sm">Given without a test</div>
        <p className="mt-1 font-serif text-[19px] leading-tight">
          Some get it by the lines of its rollout; it stays as it is while they do.
        </p>
        <Link to={`/experiments/${experiment.key}/verdict`} className="link mt-2 inline-block text-sm">
          What it brings
        </Link>
      </div>
    );
  return (
    <div className="border-t-[3px] border-neutral pt-2">
      <div className="quiet text-sm">Plan</div>
      {plan ? (
        <>
          <p className="mt-1 font-serif text-[21px] leading-tight">{plan.sentence}</p>
          <dl className="mt-3 text-sm">
            {experiment.planned_start && <FactLine label="First day" value={weekday(experiment.planned_start)} />}
            {experiment.planned_start && experiment.last_day && (
              <FactLine label="Last day" value={weekday(experiment.last_day)} />
            )}
            {experiment.planned_start && experiment.read_after && experiment.read_after !== experiment.last_day && (
              <FactLine label="Windows closed" value={weekday(experiment.read_after)} />
            )}
            {plan.what_if.map((line) => (
              <FactLine
                key={line.label}
                label={`${line.label} would take`}
                value={line.weeks === null ? "–" : plural(line.weeks, "week")}
              />
            ))}
          </dl>
        </>
      ) : (
        <p className="mt-1 font-serif text-[19px] leading-tight">
          {experiment.plan_problem || "Enter today’s rate and the units per day on the Sizing sheet."}
        </p>
      )}
    </div>
  );
}
