import { usePlacebo, useRegionPlan } from "../../api/regions";
import { plural } from "../../lib/format";
import { FactLine } from "../../parts/basics";
import { useEditing } from "../editing";
import { StateActions } from "../StateActions";
import { money, share } from "./words";

/** What the plan by region comes to; it stands with every sheet. */
export function RegionStanding() {
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
            <FactLine label="Spend withheld" value={money(design.spend, plan.currency)} />
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
  return "Drawn: the lists can be handed over.";
}
