import { Link } from "react-router";
import type { Experiment } from "../../api/client";
import { designNamed, kindNamed, questionNamed, vocabulary } from "../../api/vocabulary";
import { WeeksCurve } from "../../charts/onDemand";
import { count, percentText, plural, rate } from "../../lib/format";
import { AATest } from "../../library/AATest";
import { amount, capital, level } from "../../lib/metrics";
import { Panel } from "../../parts/basics";
import { ChoiceField, NumberField } from "../../parts/fields";
import { Term } from "../../parts/Term";
import { useEditing } from "../editing";
import { PastData } from "./PastData";
import { writeRamp } from "./Ramp";
import { TermMark } from "../../parts/Term";
import { RulePanel } from "./RulePanel";
import { StrictnessChoice } from "./StrictnessChoice";

export function SizingSheet() {
  const { experiment } = useEditing();
  const plan = experiment.plan;
  const { looked_for: lookedFor } = questionNamed(experiment.question);
  return (
    <>
      <div className="grid grid-cols-2 gap-3 max-xl:grid-cols-1">
        <Expectations />
        <Panel title={<Term name="Strictness" />}>
          <StrictnessChoice />
        </Panel>
      </div>
      {experiment.plan_problem && (
        <p role="alert" className="text-error">
          {experiment.plan_problem}
        </p>
      )}
      {plan?.warnings.map((warning) => (
        <p key={warning} className="sheet tone-warning border-l-4 border-l-warning px-4 py-2">
          {warning}
        </p>
      ))}
      {plan && (
        <Panel
          title="What each extra week adds"
          note={`smallest ${lookedFor} shown with ${percentText(experiment.power)}% power; dashed: ${plural(plan.weeks, "week")}, ${percentText(experiment.worthwhile_lift)}%`}
        >
          <WeeksCurve curve={plan.curve} weeks={plan.weeks} wanted={experiment.worthwhile_lift} lookedFor={lookedFor} />
        </Panel>
      )}
      <RulePanel />
      <OnPastUnits />
      {plan && plan.needs.length > 1 && (
        <Panel
          fold="by-metric"
          title="Sample size by metric"
          note="the largest one sets the sample"
          line={`${plan.decided_by || experiment.metric} sets the sample`}
        >
          <ul>
            {plan.needs.map((need) => (
              <li key={need.name} className="flex gap-4 border-b border-base-300 py-1 last:border-b-0">
                <span className={`grow ${need.name === plan.decided_by ? "font-semibold" : ""}`}>
                  {need.name || experiment.metric}
                  {!need.name && <span className="quiet"> (primary)</span>}
                </span>
                <span className="w-32 text-right">
                  {count(need.total)} {experiment.unit_name}
                </span>
                <span className="w-20 text-right">{plural(need.weeks, "week")}</span>
              </li>
            ))}
          </ul>
          {plan.joint_power && (
            <p className="mt-2 text-sm">
              Both goals together
              <TermMark name="Goal" />: {rate(plan.joint_power.independent, 1)} power if they were independent; between{" "}
              {rate(plan.joint_power.least, 1)} and {rate(plan.joint_power.most, 1)} whatever their correlation (
              {plan.joint_power.each.map((power) => rate(power, 1)).join(" and ")} each).
            </p>
          )}
        </Panel>
      )}
    </>
  );
}

/** The deciding metric tried on past units, at the shares and the confidence of this plan. */
function OnPastUnits() {
  const { experiment } = useEditing();
  const primary = experiment.metrics.find((use) => use.role === "primary");
  const [control, ...variants] = experiment.variants.map((variant) => variant.weight);
  if (!primary || control === undefined || variants.length === 0) return null;
  if (kindNamed(primary.kind).parts.includes("totals")) return null;
  return <AATest metric={primary.key} shares={[control, Math.min(...variants)]} confidence={experiment.confidence} />;
}

function Expectations() {
  const { experiment, save, mayEdit, locked, ruleLocked, errorFor } = useEditing();
  const fixed = locked || !mayEdit;
  const plan = experiment.plan;
  const primary = experiment.metrics.find((use) => use.role === "primary");
  const isRate = primary?.is_rate ?? true;
  const unit = primary ? amount(primary) : "";
  const metric = experiment.metric || "Conversions";
  const units = experiment.unit_name;
  const question = questionNamed(experiment.question);
  return (
    <Panel title="What you expect">
      <NumberField
        label={`${capital(metric)} today`}
        percent={isRate}
        unit={isRate ? "%" : unit}
        value={experiment.baseline}
        save={(baseline) => save({ baseline })}
        locked={fixed}
        error={errorFor("baseline")}
        note={kindNamed(primary?.kind ?? "conversion").level_words}
      />
      {!isRate && (
        <NumberField
          label="Standard deviation"
          term="Standard deviation"
          unit={unit}
          value={experiment.standard_deviation}
          save={(standard_deviation) => save({ standard_deviation })}
          locked={fixed}
          error={errorFor("standard_deviation")}
          note={kindNamed(primary?.kind ?? "conversion").spread_words}
        />
      )}
      {!fixed && <PastData />}
      <QuestionField fixed={ruleLocked || !mayEdit} />
      <NumberField
        label={question.about_zero ? "Smallest lift worth acting on" : question.size_name}
        term={question.size_name}
        percent
        value={experiment.worthwhile_lift}
        save={(value) => value !== null && save({ worthwhile_lift: value })}
        locked={ruleLocked || !mayEdit}
        error={errorFor("worthwhile_lift") ?? errorFor("lift") ?? errorFor("margin")}
        note={
          plan && experiment.baseline
            ? `${level(experiment.baseline, primary)} would become ${level(plan.changed_level, primary)}${question.about_zero ? "" : ", which would be too much"}`
            : undefined
        }
      />
      <NumberField
        whole
        label={`${capital(units)} who qualify`}
        unit="a day"
        value={experiment.audience_per_day}
        save={(audience_per_day) => save({ audience_per_day })}
        locked={fixed}
        error={errorFor("audience_per_day")}
      />
      <p className="border-b border-base-300 py-1.5 text-sm">
        {percentText(experiment.participation)}% of them are included
        {experiment.ramp.length > 0 && ` after ${writeRamp(experiment.ramp)}`}
        {plan && `: ${count(plan.units_per_day)} a day`}.{" "}
        <Link className="link" to={`/experiments/${experiment.key}/traffic#included`}>
          Change it on Traffic
        </Link>
      </p>
      <NumberField
        label="Correlation with a covariate"
        term="Covariate"
        unit=""
        value={experiment.correlation}
        save={(value) => value !== null && save({ correlation: value })}
        locked={fixed}
        error={errorFor("correlation")}
        note={
          experiment.correlation > 0
            ? `saves ${plan?.sample_saved ?? "part"} of the sample, if the uploaded figures are adjusted for it`
            : "of the time before the start; 0 without adjustment"
        }
      />
    </Panel>
  );
}

/** What is asked of a variant: better, not worse, or the same; a design that looks for the best asks for the better one only. */
function QuestionField({ fixed }: { fixed: boolean }) {
  const { experiment, save, errorFor } = useEditing();
  const { refused_questions: refused } = designNamed(experiment.design);
  return (
    <ChoiceField
      label="Question"
      value={experiment.question}
      options={vocabulary.questions
        .filter(({ name }) => !(name in refused))
        .map(({ name, title }) => ({ value: name as Experiment["question"], label: title }))}
      save={(question) => save({ question })}
      note={questionNamed(experiment.question).explanation}
      locked={fixed}
      error={errorFor("question")}
    />
  );
}
