import { WeeksCurve } from "../../charts/WeeksCurve";
import { count, percentText, plural, rate } from "../../lib/format";
import { Panel } from "../../parts/basics";
import { NumberField } from "../../parts/fields";
import { useEditing } from "../editing";
import { StrictnessChoice } from "./StrictnessChoice";

export function SizingSheet() {
  const { experiment, save, mayEdit, locked, errorFor } = useEditing();
  const fixed = locked || !mayEdit;
  const plan = experiment.plan;
  const metric = experiment.metric || "Conversions";
  return (
    <>
      <div className="grid grid-cols-2 gap-3 max-xl:grid-cols-1">
        <Panel title="What you expect">
          <NumberField
            label={`${metric[0]?.toUpperCase()}${metric.slice(1)} today`}
            percent
            value={experiment.baseline}
            save={(baseline) => save({ baseline })}
            locked={fixed}
            error={errorFor("baseline")}
            note="Of those who come, how many convert"
          />
          <NumberField
            label="Smallest lift worth acting on"
            percent
            value={experiment.worthwhile_lift}
            save={(value) => value !== null && save({ worthwhile_lift: value })}
            locked={fixed}
            error={errorFor("worthwhile_lift") ?? errorFor("lift")}
            note={
              plan && experiment.baseline
                ? `${rate(experiment.baseline)} would become ${rate(plan.changed_rate)}`
                : undefined
            }
          />
          <NumberField
            label={`${experiment.unit_name[0]?.toUpperCase()}${experiment.unit_name.slice(1)} who qualify`}
            unit="a day"
            value={experiment.audience_per_day}
            save={(audience_per_day) => save({ audience_per_day })}
            locked={fixed}
            error={errorFor("changes.audience_per_day")}
          />
          <NumberField
            label="Take part"
            percent
            value={experiment.participation}
            save={(value) => value !== null && save({ participation: value })}
            locked={fixed}
            error={errorFor("participation")}
            note={plan ? `${count(plan.units_per_day)} a day` : undefined}
          />
          <NumberField
            label="At least"
            unit="weeks"
            value={experiment.least_weeks}
            save={(value) => value !== null && save({ least_weeks: value })}
            locked={fixed}
            error={errorFor("changes.least_weeks")}
          />
        </Panel>
        <Panel title="How sure you want to be">
          <StrictnessChoice />
          <NumberField
            label="Conversions each variant needs"
            unit="at least"
            value={experiment.least_conversions}
            save={(value) => value !== null && save({ least_conversions: value })}
            locked={fixed}
            error={errorFor("changes.least_conversions")}
          />
        </Panel>
      </div>
      {experiment.plan_problem && (
        <p role="alert" className="text-error">
          {experiment.plan_problem}
        </p>
      )}
      {plan?.warnings.map((warning) => (
        <p key={warning} className="sheet tone-mind border-l-4 border-l-warning px-4 py-2">
          {warning}
        </p>
      ))}
      {plan && (
        <Panel
          title="What each extra week buys"
          note={`smallest lift seen with ${percentText(experiment.power)}% power; dashed: ${plural(plan.weeks, "week")}, ${percentText(experiment.worthwhile_lift)}%`}
        >
          <WeeksCurve curve={plan.curve} weeks={plan.weeks} wanted={experiment.worthwhile_lift} />
        </Panel>
      )}
      <Panel title="Decision rule" note={locked ? "locked" : "locked at the start"}>
        <p>{experiment.rule_in_words}</p>
      </Panel>
    </>
  );
}
