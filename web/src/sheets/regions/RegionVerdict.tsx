import { useState } from "react";
import { Link } from "react-router";
import { useDecideRegions, type RegionReading } from "../../api/regions";
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
import { Shown } from "./shown";
import { between, money, named, whole } from "./words";

const CHOICES = [
  { value: "A", label: "Go on spending" },
  { value: "B", label: "Stop spending" },
  { value: "none", label: "Neither, for now" },
] as const;
type Choice = (typeof CHOICES)[number]["value"];

/** What the rule says of the money, in a sentence and a picture, and what is decided. */
export function RegionVerdict() {
  return <Shown title="No verdict before the start">{(shown) => <Judged shown={shown} />}</Shown>;
}

function Judged({ shown }: { shown: RegionReading }) {
  const { experiment, mayAct } = useEditing();
  const look = verdictNamed(shown.verdict);
  const incremental = shown.primary?.incremental;
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
        {readable && incremental && (
          <div className="mt-3">
            <ReturnPicture
              incremental={incremental}
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
      {shown.month && readable && <Month shown={shown} month={shown.month} />}
      {experiment.state === "decided" && (
        <>
          <Decided made={CHOICES.find((one) => one.value === experiment.decision)?.label ?? ""} />
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

function Month({ shown, month }: { shown: RegionReading; month: NonNullable<RegionReading["month"]> }) {
  return (
    <Panel title="A month of it everywhere" note="if every region is as those of the test">
      <dl className="text-sm">
        <FactLine label="Usual spend" value={money(month.spend, shown.currency)} />
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
          options={CHOICES}
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
