import { Link, useParams } from "react-router";
import { usePlacebo, useRegionPlan, useRegionReading, type RegionReading } from "../../api/regions";
import { verdictNamed } from "../../api/vocabulary";
import { plural } from "../../lib/format";
import { TONE_CLASS, TONE_COLOUR } from "../../lib/words";
import { FactLine } from "../../parts/basics";
import { Conditions } from "../../parts/Conditions";
import { Headline } from "../../parts/Headline";
import { Term } from "../../parts/Term";
import { useEditing } from "../editing";
import { StandingSkeleton } from "../StandingSkeleton";
import { StateActions } from "../StateActions";
import { money, share } from "./words";

/** What the plan by region comes to; it stands with every sheet. */
export function RegionStanding() {
  const { experiment } = useEditing();
  const { data: shown, isLoading } = useRegionReading(experiment.key, experiment.started_on !== null);
  if (isLoading) return <StandingSkeleton />;
  return shown ? <Seen shown={shown} /> : <Planned />;
}

/** What the rule says with the days so far. */
function Seen({ shown }: { shown: RegionReading }) {
  const { experiment, mayAct } = useEditing();
  const look = verdictNamed(shown.verdict);
  // The Verdict sheet itself has the conditions and the form.
  const elsewhere = useParams().sheet !== "verdict";
  return (
    <aside aria-label="Standing" className="min-w-0">
      <div className="border-t-[3px] pt-2" style={{ borderColor: TONE_COLOUR[look.tone] }}>
        <div className={`text-sm font-semibold ${TONE_CLASS[look.tone]}`}>
          <span aria-hidden>{look.mark}</span> <Term name={look.title} explanation={look.meaning} />
        </div>
        <Headline text={shown.headline} figure={shown.figure} tone={look.tone} className="mt-1 text-[21px]" />
        <p className="quiet mt-2 text-sm">{shown.detail}</p>
        {elsewhere && mayAct && look.settled && ["running", "ended"].includes(experiment.state) && (
          <Link to={`/experiments/${experiment.key}/verdict`} className="btn btn-primary btn-sm mt-3 w-full">
            Record the decision
          </Link>
        )}
        {elsewhere && (
          <>
            <h2 className="mt-4 mb-1 font-sans text-sm font-semibold">Conditions</h2>
            <Conditions reading={shown} />
          </>
        )}
        {shown.warnings.length > 0 && (
          <>
            <h2 className="mt-4 mb-1 font-sans text-sm font-semibold">Before you decide</h2>
            {shown.warnings.map((line) => (
              <p key={line} className="quiet mb-1 text-sm">
                {line}
              </p>
            ))}
          </>
        )}
      </div>
      <StateActions settled={look.settled} />
    </aside>
  );
}

function Planned() {
  const { experiment } = useEditing();
  const { data: plan } = useRegionPlan(experiment.key);
  const placebo = usePlacebo(experiment.key).data?.placebo;
  const design = plan?.designs.find((one) => one.pairs === plan.pairs && one.weeks === plan.weeks);
  const tried = placebo?.state === "done" && !placebo.stale ? placebo : null;
  return (
    <aside aria-label="Standing" className="min-w-0">
      <div className="border-t-[3px] border-neutral pt-2">
        <div className="text-sm font-semibold">In preparation, by region</div>
        <p className="mt-1 font-serif text-[21px] leading-snug">{headline(plan, design !== undefined)}</p>
        {plan && design && (
          <dl className="mt-3 text-sm">
            <FactLine label="Pairs" value={String(design.pairs)} />
            <FactLine label="Length" value={`${plural(design.weeks, "week")} + ${plan.cool_down}`} />
            <FactLine
              label={plan.lower === null ? "Spend withheld" : "Spent less where it is lowered"}
              value={money(design.spend, plan.currency)}
            />
            <FactLine label="Partners moved alike" value={`r = ${design.fit.toFixed(2)}`} />
            <FactLine label="Smallest effect" value={share(tried?.smallest ?? design.smallest_lift)} />
            {design.smallest_return !== null && (
              <FactLine label="Smallest return" value={design.smallest_return.toFixed(2)} />
            )}
            {plan.break_even !== null && <FactLine label="It pays from" value={String(plan.break_even)} />}
            <FactLine
              label="False alarms in past windows"
              value={tried?.found[0] ? `${(tried.found[0].share * 100).toFixed(1)}%` : "not tried"}
            />
          </dl>
        )}
      </div>
      <StateActions settled={false} />
    </aside>
  );
}

function headline(plan: ReturnType<typeof useRegionPlan>["data"], chosen: boolean): string {
  if (!plan?.past) return "Bring the past of the regions in on Sizing.";
  if (!chosen) return "Choose a design on Sizing.";
  if (plan.cells === null) return "Ready to be drawn on Traffic.";
  return plan.missing_for_start.length === 0 ? "Ready to start." : "Drawn: the lists can be handed over.";
}
