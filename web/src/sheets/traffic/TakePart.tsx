import { count, percentText, plural, rate, weekday } from "../../lib/format";
import { Panel } from "../../parts/basics";
import { ComboField, NumberField } from "../../parts/fields";
import { useExclusionGroups } from "../../api/running";
import { useEditing } from "../editing";
import { Ramp, writeRamp } from "../sizing/Ramp";

/** How many of the audience take part, step by step, and what that costs in weeks. */
export function TakePart() {
  const { experiment, save, mayEdit, errorFor } = useEditing();
  const plan = experiment.plan;
  const everybody = plan?.what_if.find((line) => line.name === "all_traffic")?.weeks;
  const served = experiment.data_from === "events";
  return (
    <Panel
      fold="included"
      title="Traffic included"
      note={`share of the audience; today ${rate(experiment.participation_today, 0)}`}
      line={`${percentText(experiment.participation)}% of the audience${experiment.ramp.length ? ` after ${writeRamp(experiment.ramp)}` : ""}; today ${rate(experiment.participation_today, 0)}`}
    >
      <NumberField
        label="Traffic included after the ramp"
        percent
        value={experiment.participation}
        save={(value) => value !== null && save({ participation: value })}
        locked={!mayEdit}
        error={errorFor("participation")}
        note={
          plan && everybody != null && everybody < plan.weeks
            ? `It takes ${plural(plan.weeks, "week")} so; ${plural(everybody, "week")} with everybody from the start.`
            : plan
              ? `${count(plan.units_per_day)} ${experiment.unit_name} a day. Raising it later moves nobody who is in.`
              : "Raising it later moves nobody who is in."
        }
      />
      <Ramp />
      {experiment.ramp.length > 0 && <RampDates />}
      {served && <Exclusion />}
    </Panel>
  );
}

function RampDates() {
  const { experiment } = useEditing();
  const first = experiment.started_on ?? experiment.starts_at?.slice(0, 10) ?? experiment.planned_start;
  const steps = [...experiment.ramp, { days: 0, participation: experiment.participation }];
  const begins = steps.map((_, index) => steps.slice(0, index).reduce((days, step) => days + step.days, 0));
  return (
    <ol className="mt-2 flex flex-wrap gap-2 text-sm" aria-label="Steps of the ramp">
      {steps.map((step, index) => (
        <li key={index} className="rounded border border-base-300 px-2 py-1">
          <span className="font-semibold">{percentText(step.participation)}%</span>{" "}
          <span className="quiet">
            from {first ? weekday(shifted(first, begins[index] ?? 0)) : `day ${(begins[index] ?? 0) + 1}`}
          </span>
        </li>
      ))}
    </ol>
  );
}

function shifted(iso: string, days: number): string {
  const date = new Date(`${iso}T00:00:00Z`);
  date.setUTCDate(date.getUTCDate() + days);
  return date.toISOString();
}

/** Experiments that must not share visitors. */
function Exclusion() {
  const { experiment, save, mayEdit, locked, errorFor } = useEditing();
  const groups = useExclusionGroups();
  const mine = groups.data?.find((group) => group.name === experiment.exclusion_group);
  const others = mine?.members.filter((member) => member.key !== experiment.key) ?? [];
  return (
    <>
      <ComboField
        term="Exclusion group"
        label="Exclusion group: experiments of one group never share a visitor"
        value={experiment.exclusion_group}
        save={(exclusion_group) => save({ exclusion_group })}
        options={groups.data?.map((group) => group.name) ?? []}
        placeholder="none"
        locked={locked || !mayEdit}
        note={
          others.length > 0
            ? `With ${others.map((member) => `${member.name} (${rate(member.share, 0)}, ${member.state})`).join(", ")}`
            : undefined
        }
      />
      {experiment.exclusion_group && (
        <NumberField
          label="Part of the group's visitors kept for this one"
          percent
          value={experiment.exclusion_share}
          save={(value) => value !== null && save({ exclusion_share: value })}
          locked={locked || !mayEdit}
          error={errorFor("exclusion_share")}
          note={mine ? `${rate(mine.free, 0)} of the group are free` : undefined}
        />
      )}
    </>
  );
}
