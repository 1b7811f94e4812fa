import type { ReactNode } from "react";
import type { Experiment } from "../api/client";
import { methodNamed, questionNamed } from "../api/vocabulary";
import { percentText, plural } from "../lib/format";
import { Letter } from "../parts/Letter";
import { shareTexts } from "./shares";
import { writeRamp } from "./sizing/Ramp";

/** All that is about to run, in a line each. */
export function StartSummary({ experiment }: { experiment: Experiment }) {
  const { plan } = experiment;
  const rule = methodNamed(experiment.method);
  const question = questionNamed(experiment.question);
  const shares = shareTexts(experiment);
  return (
    <>
      <p className="mb-2 font-serif text-[17px] leading-snug">{experiment.hypothesis}</p>
      <dl className="grid grid-cols-[6rem_minmax(0,1fr)] gap-x-3 gap-y-1.5 text-sm">
        <Fact name="Variants">
          <ul className="grid gap-1">
            {experiment.variants.map((variant, index) => (
              <li key={variant.letter} className="flex items-center gap-2">
                <Letter letter={variant.letter} />
                <span className="min-w-0 grow truncate" title={variant.name}>
                  <bdi>{variant.name}</bdi>
                </span>
                <span>{shares[index]}</span>
              </li>
            ))}
          </ul>
          {experiment.allocation && <span className="quiet">the shares follow the evidence</span>}
        </Fact>
        <Fact name="Audience">
          {experiment.audience_rules.length ? experiment.audience_in_words : "everybody qualifies"}
          {experiment.never_counted_in_words && `; never counted: ${experiment.never_counted_in_words}`}
        </Fact>
        <Fact name="Included">
          {percentText(experiment.participation)}% of the audience
          {experiment.ramp.length > 0 && `, after ${writeRamp(experiment.ramp)}`}
          {experiment.exclusion_group && `; shares no visitor with others of “${experiment.exclusion_group}”`}
        </Fact>
        <Fact name="Metrics">
          {experiment.metrics.length
            ? experiment.metrics.map((use) => `${use.name} (${use.role})`).join(", ")
            : "none yet"}
        </Fact>
        <Fact name="Rule">
          {rule.title}: {percentText(experiment.confidence)}% confidence, {question.size_name.toLowerCase()}{" "}
          {percentText(experiment.worthwhile_lift)}%
          <details className="mt-1">
            <summary className="cursor-pointer">The rule in full</summary>
            <p className="mt-1">{experiment.rule_in_words}</p>
          </details>
        </Fact>
        <Fact name="Length">{plan ? plural(plan.weeks, "week") : experiment.plan_problem || "not planned yet"}</Fact>
      </dl>
    </>
  );
}

function Fact({ name, children }: { name: string; children: ReactNode }) {
  return (
    <>
      <dt className="quiet">{name}</dt>
      <dd className="min-w-0">{children}</dd>
    </>
  );
}
