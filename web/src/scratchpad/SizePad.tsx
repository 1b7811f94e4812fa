import { LETTERS, questionNamed } from "../api/vocabulary";
import { useState } from "react";
import { Problem, type Plan } from "../api/client";
import { useSession, useSizeOf } from "../api/hooks";
import { WeeksCurve } from "../charts/onDemand";
import { count, plural, rate } from "../lib/format";
import { fromCanonical } from "../lib/numbers";
import { NewExperiment } from "../parts/NewExperiment";
import { FactLine, Panel } from "../parts/basics";
import { readSize, writeSize, type PadSize, type Question } from "./address";
import { PadNumber } from "./PadNumber";
import { QuestionChoice } from "./QuestionChoice";
import { useAddress } from "./useAddress";

const FIELDS: { field: keyof PadSize; label: string; unit: string; problem: string }[] = [
  { field: "rate", label: "Rate today", unit: "%", problem: "baseline" },
  { field: "lift", label: "Smallest lift worth acting on", unit: "%", problem: "lift" },
  { field: "traffic", label: "Units a day", unit: "", problem: "audience_per_day" },
  { field: "share", label: "Traffic included", unit: "%", problem: "participation" },
  { field: "variants", label: "Variants, control included", unit: "", problem: "variants" },
  { field: "confidence", label: "Confidence", unit: "%", problem: "confidence" },
  { field: "power", label: "Power", unit: "%", problem: "power" },
];

/** Rate, lift and traffic in; units, weeks and the curve out. */
export function SizePad() {
  const [size, change] = useAddress(readSize, writeSize);
  const number = (field: keyof PadSize) => fromCanonical(size[field]) ?? NaN;
  const variants = Math.round(number("variants"));
  const question = questionNamed(size.question);
  const request = {
    question: size.question,
    baseline: number("rate") / 100,
    worthwhile_lift: number("lift") / 100,
    audience_per_day: number("traffic"),
    participation: number("share") / 100,
    weights: Array.from({ length: Math.min(Math.max(variants || 0, 0), 20) }, () => 1),
    confidence: number("confidence") / 100,
    power: number("power") / 100,
    least_weeks: 2,
  };
  const readable = FIELDS.every(({ field }) => Number.isFinite(number(field)));
  const answer = useSizeOf(request, readable);
  const problems = readable && answer.error instanceof Problem ? answer.error.fields : {};
  const plan = readable && !answer.error ? answer.data : undefined;
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_290px] gap-4 max-lg:grid-cols-1">
      <div className="grid grid-cols-[minmax(0,1fr)] content-start gap-3">
        <Panel title="What you expect">
          <div className="grid grid-cols-4 gap-3 max-sm:grid-cols-2">
            <QuestionChoice value={size.question} change={(question) => change({ ...size, question })} />
            {FIELDS.map(({ field, label, unit, problem }) => (
              <PadNumber
                key={field}
                label={field === "lift" && !question.about_zero ? question.size_name : label}
                unit={unit}
                value={size[field]}
                error={problems[problem]}
                change={(value) => change({ ...size, [field]: value })}
              />
            ))}
          </div>
        </Panel>
        {plan && (
          <Panel title="What each extra week adds" note={`smallest ${question.looked_for} that would be shown`}>
            <WeeksCurve
              curve={plan.curve}
              weeks={plan.weeks}
              wanted={Math.abs(request.worthwhile_lift)}
              height={260}
              lookedFor={question.looked_for}
            />
          </Panel>
        )}
      </div>
      <Answer plan={plan} error={readable ? answer.error : null} request={request} />
    </div>
  );
}

interface AnswerProps {
  plan: Plan | undefined;
  error: Error | null;
  request: {
    question: Question;
    baseline: number;
    worthwhile_lift: number;
    audience_per_day: number;
    participation: number;
    weights: number[];
    confidence: number;
    power: number;
  };
}

function Answer({ plan, error, request }: AnswerProps) {
  const [making, setMaking] = useState(false);
  const { data: session } = useSession();
  if (!plan) {
    return (
      <aside aria-label="Plan" className="border-t-[3px] border-neutral pt-2">
        <p className="font-serif text-[21px] leading-tight">
          {error ? "This cannot be planned." : "Fill in each number."}
        </p>
        {error && <p className="quiet mt-2">{error.message}</p>}
      </aside>
    );
  }
  return (
    <aside aria-label="Plan" className="border-t-[3px] border-neutral pt-2">
      <div className="quiet text-sm">Plan</div>
      <p className="mt-1 font-serif text-[21px] leading-tight">{plan.sentence}</p>
      <dl className="mt-3 text-sm">
        <FactLine label="In each variant" value={count(plan.per_arm[0] ?? 0)} />
        <FactLine label="In all" value={count(plan.total)} />
        <FactLine
          label={questionNamed(request.question).about_zero ? "The rate would become" : "At the margin the rate is"}
          value={rate(plan.changed_level)}
        />
        <FactLine label="Days for the sample" value={count(plan.days_needed)} />
        {plan.what_if.map((line) => (
          <FactLine
            key={line.label}
            label={`${line.label} would take`}
            value={line.weeks === null ? "–" : plural(line.weeks, "week")}
          />
        ))}
      </dl>
      {plan.warnings.map((warning) => (
        <p key={warning} className="tone-warning mt-2 text-sm">
          {warning}
        </p>
      ))}
      {session?.account?.may_edit && (
        <button className="btn btn-sm mt-3 w-full" onClick={() => setMaking(true)}>
          Make this an experiment…
        </button>
      )}
      {making && <NewExperiment close={() => setMaking(false)} changes={asExperiment(request)} />}
    </aside>
  );
}

function asExperiment(request: AnswerProps["request"]) {
  const { question, baseline, worthwhile_lift, audience_per_day, participation, confidence, power, weights } = request;
  return {
    question,
    baseline,
    worthwhile_lift: Math.abs(worthwhile_lift),
    audience_per_day: Math.round(audience_per_day),
    participation,
    confidence,
    power,
    variants: weights.map((weight, index) => ({
      name: index === 0 ? "Control" : `With change ${LETTERS[index]}`,
      changes: [],
      weight,
    })),
  };
}
