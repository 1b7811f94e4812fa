import { useState } from "react";
import { Link } from "react-router";
import { useDecideRegions, type RegionArm, type RegionReading } from "../../api/regions";
import { verdictNamed } from "../../api/vocabulary";
import { ReturnPicture } from "../../charts/ReturnPicture";
import { TONE_COLOUR } from "../../lib/words";
import { errorOf, FactLine, FormError, Panel } from "../../parts/basics";
import { Conditions } from "../../parts/Conditions";
import { Headline } from "../../parts/Headline";
import { useEditing } from "../editing";
import { Decided } from "../verdict/Decided";
import { DecisionFields, suggestedNote } from "../verdict/DecisionFields";
import { LessonPanel } from "../verdict/HandoverPanel";
import { returnLines } from "./groups";
import { Shown } from "./shown";
import { between, money, named, whole } from "./words";

const CHOICES = [
  { value: "A", label: "Go on spending" },
  { value: "B", label: "Stop spending" },
  { value: "none", label: "Neither, for now" },
] as const;
const GRADED = [
  { value: "A", label: "Spend as planned" },
  { value: "B", label: "Spend less" },
  { value: "C", label: "Spend more" },
  { value: "none", label: "None of these, for now" },
] as const;
type Choice = (typeof GRADED)[number]["value"];

function choicesOf(shown: RegionReading): readonly { value: Choice; label: string }[] {
  return shown.arms.length > 1 ? GRADED : CHOICES;
}

/** What the rule says of the money, in a sentence and a picture, and what is decided. */
export function RegionVerdict() {
  return <Shown title="No verdict before the start">{(shown) => <Judged shown={shown} />}</Shown>;
}

function Judged({ shown }: { shown: RegionReading }) {
  const { experiment, mayAct } = useEditing();
  const look = verdictNamed(shown.verdict);
  const lines = returnLines(shown);
  const readable = look.readable && look.settled;
  return (
    <>
      <Panel
        title={`The rule says: ${look.title.toLowerCase()}`}
        action={
          <Link className="link text-sm" to={`/reports/${experiment.key}`}>
            Report for stakeholders
          </Link>
        }
      >
        <Headline text={shown.headline} figure={shown.figure} tone={look.tone} className="text-2xl" />
        <p className="quiet mt-1">{shown.detail}</p>
        {readable && lines.length > 0 && (
          <div className="mt-3">
            <ReturnPicture
              lines={lines}
              breakEven={shown.break_even}
              within={shown.same_within}
              colour={TONE_COLOUR[look.tone]}
            />
          </div>
        )}
        <div className="mt-3">
          <Conditions reading={shown} wide />
        </div>
        {shown.would_change.map((line) => (
          <p key={line} className="quiet mt-2">
            {line}
          </p>
        ))}
      </Panel>
      {readable &&
        shown.arms.map((arm) => arm.month && <Month key={arm.arm} shown={shown} arm={arm} month={arm.month} />)}
      {experiment.state === "decided" && (
        <>
          <Decided made={choicesOf(shown).find((one) => one.value === experiment.decision)?.label ?? ""} />
          <LessonPanel />
        </>
      )}
      {["running", "ended"].includes(experiment.state) && mayAct && <Decide key={shown.suggested} shown={shown} />}
      <Panel title="Decision rule" note="locked at the start">
        <p>{shown.rule_in_words}</p>
      </Panel>
    </>
  );
}

interface MonthProps {
  shown: RegionReading;
  arm: RegionArm;
  month: NonNullable<RegionArm["month"]>;
}

function Month({ shown, arm, month }: MonthProps) {
  const { step } = arm;
  return (
    <Panel
      title={step ? `A month of what is spent ${step}, everywhere` : "A month of it everywhere"}
      note="if every region is as those of the test"
    >
      <dl className="text-sm">
        <FactLine label={step ? "Spend of this step" : "Usual spend"} value={money(month.spend, shown.currency)} />
        <FactLine
          label={`Brings in ${named(shown.outcome)}`}
          value={`${whole(month.brings.estimate)} (${between(month.brings, whole)})`}
        />
        <FactLine
          label="Beyond what it must bring to pay"
          value={`${whole(month.worth.estimate)} (${between(month.worth, whole)})`}
        />
      </dl>
    </Panel>
  );
}

function Decide({ shown }: { shown: RegionReading }) {
  const { experiment } = useEditing();
  const decide = useDecideRegions(experiment.key);
  const [choice, setChoice] = useState<Choice | "">(shown.suggested as Choice | "");
  const [reason, setReason] = useState("");
  const [next, setNext] = useState("");
  return (
    <Panel title="Your decision" note={suggestedNote(shown.suggested)}>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          if (choice) decide.mutate({ choice, reason, next_step: next });
        }}
      >
        <DecisionFields
          options={choicesOf(shown)}
          suggested={shown.suggested}
          choice={choice}
          choose={setChoice}
          reason={reason}
          explain={setReason}
          error={errorOf(decide.error, "reason")}
        />
        <label className="mt-2 block">
          <span className="quiet block text-sm">What happens next</span>
          <input
            className="input input-sm w-full"
            maxLength={2000}
            value={next}
            onChange={(event) => setNext(event.target.value)}
            placeholder="Posters go on; the next test is of radio"
          />
        </label>
        {!errorOf(decide.error, "reason") && <FormError error={decide.error} />}
        <button className="btn btn-primary btn-sm mt-3" disabled={!choice || decide.isPending}>
          Record the decision
        </button>
      </form>
    </Panel>
  );
}
