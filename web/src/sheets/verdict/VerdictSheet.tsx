import { Link } from "react-router";
import type { Evidence, Experiment } from "../../api/client";
import { useEvidence } from "../../api/hooks";
import { verdictNamed } from "../../api/vocabulary";
import { day } from "../../lib/format";
import { Empty, Failure, Panel, Skeleton } from "../../parts/basics";
import { Conditions } from "../../parts/Conditions";
import { Headline } from "../../parts/Headline";
import { VariantTable } from "../evidence/VariantTable";
import { useEditing } from "../editing";
import { ChangesAfterStart } from "../sizing/RulePanel";
import { Decided } from "./Decided";
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
          <Decided made={madeOf(experiment)} />
          <HandoverPanel />
        </>
      )}
      {open && mayAct && <DecisionForm reading={reading} />}
      <Ranking reading={reading} experiment={experiment.key} />
      <Panel fold="verdict-evidence" title="Evidence" line="levels, lifts and intervals of each variant">
        <VariantTable reading={reading} experiment={experiment.key} />
      </Panel>
      <Panel
        fold="verdict-rule"
        title="Decision rule"
        note={experiment.rule_locked_at ? `locked on ${day(experiment.rule_locked_at)}` : undefined}
      >
        <p>{reading.rule_in_words}</p>
        <ChangesAfterStart experiment={experiment} />
      </Panel>
    </>
  );
}

function madeOf(experiment: Experiment): string {
  const chosen = experiment.variants.find((variant) => variant.letter === experiment.decision);
  return chosen ? `${experiment.decision}: ${chosen.name}` : "Nothing is rolled out";
}
