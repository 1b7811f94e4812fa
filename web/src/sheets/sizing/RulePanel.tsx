import { useState } from "react";
import { Link } from "react-router";
import type { Experiment } from "../../api/client";
import { designNamed, methodNamed, questionNamed, vocabulary, type Setting } from "../../api/vocabulary";
import { LooksPicture } from "../../charts/LooksPicture";
import { day, percentText, plural } from "../../lib/format";
import { readNumber } from "../../lib/numbers";
import { Panel } from "../../parts/basics";
import { ChoiceField, NumberField, TextField } from "../../parts/fields";
import { RadioCard } from "../../parts/RadioCard";
import { Term } from "../../parts/Term";
import { useEditing } from "../editing";
import { ForAReason } from "../ForAReason";

/** How and when the data are read: four methods, their figures, and the paragraph that will be held to. */
export function RulePanel() {
  const { experiment, save, mayEdit, locked, ruleLocked } = useEditing();
  const fixed = ruleLocked || !mayEdit;
  const plan = experiment.plan;
  const { refused } = designNamed(experiment.design);
  const question = questionNamed(experiment.question);
  return (
    <Panel
      fold="rule"
      line={`${methodNamed(experiment.method).title}, at ${percentText(experiment.confidence)}% confidence`}
      title={<Term name="Decision rule" />}
      note={
        locked
          ? `locked since the start${experiment.rule_changes.length ? ", changed since" : ""}`
          : "locked at the start"
      }
      action={
        plan && (
          <Link className="link text-sm" to={`/experiments/${experiment.key}/rehearsal`}>
            Rehearse it
          </Link>
        )
      }
    >
      <p className="mb-3 font-serif text-lg leading-snug">{experiment.rule_in_words}</p>
      {locked && mayEdit && <ForAReason what="The rule" ask="Why must the rule change after data were seen?" />}
      <fieldset disabled={fixed}>
        <legend className="quiet mb-1 text-sm">Method</legend>
        <div className="grid grid-cols-2 gap-1.5 max-lg:grid-cols-1">
          {vocabulary.methods.map((method) => (
            <RadioCard
              key={method.name}
              group="method"
              name={method.title}
              description={method.explanation}
              chosen={experiment.method === method.name}
              disabled={method.name in refused}
              choose={() =>
                save({
                  method: method.name as Experiment["method"],
                  method_settings: {},
                  ...(method.has_looks ? {} : { rounds_planned: 1 }),
                })
              }
            />
          ))}
        </div>
      </fieldset>
      {[...new Set(Object.values(refused))].map((reason) => (
        <p key={reason} className="quiet mt-1 text-sm">
          The others cannot be taken here: each {reason}.
        </p>
      ))}
      <div className="mt-2 grid grid-cols-2 gap-x-6 max-xl:grid-cols-1">
        <Figures fixed={fixed} />
        {plan && plan.looks.length > 0 && (
          <div>
            <LooksPicture
              looks={plan.looks}
              days={7 * plan.weeks}
              worthwhile={experiment.worthwhile_lift}
              question={question}
              good={experiment.good_direction === "up" ? 1 : -1}
            />
            <p className="quiet text-sm">
              A lift must be seen {question.boundary_words} on that day. All in all{" "}
              {Math.round((plan.inflation - 1) * 1000) / 10}% more data than a single reading.
            </p>
          </div>
        )}
      </div>
      <ChangesAfterStart experiment={experiment} />
    </Panel>
  );
}

function Figures({ fixed }: { fixed: boolean }) {
  const { experiment, save, errorFor } = useEditing();
  const set = (field: "least_weeks" | "least_conversions" | "warm_up_days") => (value: number | null) =>
    value !== null && save({ [field]: value });
  const { settings, has_looks } = methodNamed(experiment.method);
  const inRounds = experiment.rounds_planned > 1;
  return (
    <div>
      {settings
        .filter(({ name }) => !(inRounds && ["looks", "look_days"].includes(name)))
        .map((setting) => (
          <SettingField key={setting.name} setting={setting} fixed={fixed} />
        ))}
      {has_looks && experiment.allocation === null && (
        <NumberField
          whole
          label="Rounds read together"
          term="Round"
          value={experiment.rounds_planned}
          save={(value) => value !== null && save({ rounds_planned: value })}
          locked={fixed}
          error={errorFor("rounds_planned")}
          note={inRounds ? "as long as each other, with a look at the end of each" : "for what one run cannot show"}
        />
      )}
      <NumberField
        whole
        label="At least"
        unit="weeks"
        value={experiment.least_weeks}
        save={set("least_weeks")}
        locked={fixed}
        error={errorFor("least_weeks")}
      />
      <NumberField
        whole
        label="Minimum conversions expected in each variant"
        value={experiment.least_conversions}
        save={set("least_conversions")}
        locked={fixed}
        error={errorFor("least_conversions")}
      />
      {experiment.metrics.some((use) => use.role === "secondary") && (
        <ChoiceField
          label="Secondary metrics: multiple-testing correction"
          value={experiment.family}
          options={[
            { value: "holm", label: "Holm (family-wise error rate)" },
            { value: "benjamini_hochberg", label: "Benjamini–Hochberg (false discovery rate)" },
          ]}
          save={(family) => save({ family })}
          locked={fixed}
        />
      )}
      <NumberField
        whole
        label="Warm-up, left out"
        unit="days"
        value={experiment.warm_up_days}
        save={set("warm_up_days")}
        locked={fixed}
        error={errorFor("warm_up_days")}
        note={experiment.warm_up_days ? "units first seen on these days do not count" : undefined}
      />
      <NumberField
        whole
        label={inRounds ? "Longest run of each round" : "Longest run"}
        unit="weeks"
        value={experiment.longest_run_weeks}
        save={(longest_run_weeks) => save({ longest_run_weeks })}
        locked={fixed}
        required={false}
        error={errorFor("longest_run_weeks")}
        note={
          experiment.longest_run_weeks === null
            ? `empty: ${plural(experiment.workspace_longest_run_weeks, "week")}, as set for the workspace`
            : undefined
        }
      />
    </div>
  );
}

/** Days of a run as they are typed: "14, 20 28"; empty for none; null where it is no list of whole days. */
export function readDays(text: string): number[] | null {
  const numbers = text
    .split(/[,;\s]+/)
    .filter(Boolean)
    .map((part) => readNumber(part));
  return numbers.some((n) => n === null || !Number.isInteger(n) || n < 1) ? null : (numbers as number[]);
}

/** A figure or choice of the method, as the server describes it. */
function SettingField({ setting, fixed }: { setting: Setting; fixed: boolean }) {
  const { experiment, save, errorFor } = useEditing();
  const [wrong, setWrong] = useState("");
  const values = { ...methodNamed(experiment.method).defaults, ...experiment.method_settings };
  const value = values[setting.name];
  const set = (chosen: unknown) => save({ method_settings: { ...values, [setting.name]: chosen } });
  const common = { label: setting.label, note: setting.explanation, locked: fixed, error: errorFor(setting.name) };
  if (setting.kind === "choice") {
    const options = setting.choices.map((choice) => ({ value: choice.name, label: choice.title }));
    return <ChoiceField {...common} value={String(value)} options={options} save={set} />;
  }
  if (setting.kind === "days") {
    return (
      <TextField
        {...common}
        value={(value as number[]).join(", ")}
        save={(text) => {
          const days = readDays(text);
          setWrong(days ? "" : `${setting.label} (${text}) must be days such as 14, 20, 28`);
          if (days) set(days);
        }}
        error={wrong || common.error}
      />
    );
  }
  const percent = setting.kind === "percent";
  return (
    <NumberField
      {...common}
      percent={percent}
      unit={percent ? "%" : ""}
      value={value as number}
      save={(typed) => typed !== null && set(typed)}
    />
  );
}

/** What the rule and what visitors got were before each change after the start, and why they changed. */
export function ChangesAfterStart({
  experiment,
}: {
  experiment: Pick<Experiment, "rule_changes" | "delivery_changes">;
}) {
  const lines = [
    ...experiment.rule_changes.map((change) => ({ ...change, text: `The rule before: ${change.before}` })),
    ...experiment.delivery_changes.map((change) => ({
      ...change,
      text: `${change.subject}: ${change.before} → ${change.after}`,
    })),
  ];
  if (lines.length === 0) return null;
  return (
    <div className="mt-3 border-t border-base-300 pt-2 print:mt-1 print:pt-1">
      <h3 className="tone-warning font-sans text-sm font-semibold">Changed after the start</h3>
      {lines.map((change) => (
        <div key={`${change.at} ${change.text}`} className="mt-1 text-sm">
          <p>
            {day(change.at)}, {change.by}: {change.reason} <span className="quiet">{change.text}</span>
          </p>
        </div>
      ))}
    </div>
  );
}
