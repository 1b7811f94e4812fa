import { useState } from "react";
import { Link } from "react-router";
import type { Evidence, Experiment } from "../../api/client";
import { useEvidence, useStep } from "../../api/hooks";
import { verdictNamed } from "../../api/vocabulary";
import { day } from "../../lib/format";
import { Empty, Failure, FormError, Panel, Skeleton } from "../../parts/basics";
import { Conditions } from "../../parts/Conditions";
import { Headline } from "../../parts/Headline";
import { VariantTable } from "../evidence/VariantTable";
import { useEditing } from "../editing";
import { ChangesAfterStart } from "../sizing/RulePanel";
import { DecisionForm } from "./DecisionForm";
import { HandoverPanel } from "./HandoverPanel";
import { Ranking, TradeOff, Worth, WouldChange } from "./Outlook";

export function VerdictSheet() {
  const { experiment } = useEditing();
  const started = experiment.rule_locked_at !== null;
  const evidence = useEvidence(experiment.key, started);
  if (experiment.state === "tailored") return <WithoutTest />;
  if (!started)
    return (
      <Empty title="No verdict before the start">
        The rule is written on the Sizing sheet and locked at the start.
      </Empty>
    );
  if (evidence.isPending) return <Skeleton rows={5} />;
  if (evidence.isError) return <Failure error={evidence.error} again={() => void evidence.refetch()} />;
  return <Judged evidence={evidence.data} />;
}

/** What is given without a test has no verdict; what it brings is measured against those held out. */
function WithoutTest() {
  return (
    <>
      <p className="mb-3">
        It is given without a test, so there is no verdict. Against those held out, its rollout shows what it brings.
      </p>
      <HandoverPanel />
    </>
  );
}

function Judged({ evidence }: { evidence: Evidence }) {
  const { experiment, mayAct } = useEditing();
  const { reading } = evidence;
  const look = verdictNamed(reading.verdict);
  const open = ["running", "paused", "ended"].includes(experiment.state);
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
        <Headline text={reading.headline} figure={reading.figure} tone={look.tone} className="text-2xl" />
        <p className="quiet mt-1">{reading.detail}</p>
        <div className="mt-3">
          <Conditions reading={reading} wide />
        </div>
        <Worth reading={reading} experiment={experiment.key} />
        <WouldChange reading={reading} />
      </Panel>
      <TradeOff reading={reading} experiment={experiment.key} />
      {experiment.state === "decided" && (
        <>
          <Decided experiment={experiment} mayEdit={mayAct} />
          <HandoverPanel />
        </>
      )}
      {open && mayAct && <DecisionForm reading={reading} />}
      <Ranking reading={reading} experiment={experiment.key} />
      <Panel title="Evidence">
        <VariantTable reading={reading} experiment={experiment.key} />
      </Panel>
      <Panel
        title="Decision rule"
        note={experiment.rule_locked_at ? `locked on ${day(experiment.rule_locked_at)}` : undefined}
      >
        <p>{reading.rule_in_words}</p>
        <ChangesAfterStart experiment={experiment} />
      </Panel>
    </>
  );
}

function Decided({ experiment, mayEdit }: { experiment: Experiment; mayEdit: boolean }) {
  const step = useStep(experiment.key);
  const [reason, setReason] = useState("");
  const [asking, setAsking] = useState(false);
  const chosen = experiment.variants.find((variant) => variant.letter === experiment.decision);
  return (
    <Panel
      title="Decided"
      note={experiment.decided_at ? `${day(experiment.decided_at)}, ${experiment.decided_by}` : undefined}
    >
      <p className="text-lg">{chosen ? `${experiment.decision}: ${chosen.name}` : "Nothing is rolled out"}</p>
      {experiment.decision_reason && <p className="mt-1">Why it differs from the rule: {experiment.decision_reason}</p>}
      {experiment.decision_next && <p className="mt-1">Next: {experiment.decision_next}</p>}
      {mayEdit && !asking && (
        <button className="btn btn-xs mt-3" onClick={() => setAsking(true)}>
          Withdraw the decision…
        </button>
      )}
      {asking && (
        <div className="mt-3 flex items-end gap-2">
          <label className="grow">
            <span className="quiet block text-sm">Why is the decision withdrawn?</span>
            <input
              className="input input-sm w-full"
              value={reason}
              onChange={(event) => setReason(event.target.value)}
            />
          </label>
          <button className="btn btn-sm" onClick={() => step.mutate({ kind: "withdraw", reason })}>
            Withdraw
          </button>
        </div>
      )}
      <FormError error={step.error} />
    </Panel>
  );
}
