import { useRegionPlan, useSpendingCalendar, useStartRegionTest } from "../../api/regions";
import { plural, weekday } from "../../lib/format";
import { FactLine, FormError, Skeleton } from "../../parts/basics";
import { Dialog } from "../../parts/Dialog";
import { useEditing } from "../editing";
import { level } from "./groups";
import { money, named, share } from "./words";

/** All that is about to run, and what is missing before it can. */
export function RegionStart({ close }: { close: () => void }) {
  const { experiment } = useEditing();
  const { data: plan } = useRegionPlan(experiment.key);
  const calendar = useSpendingCalendar(experiment.key).data?.calendar;
  const start = useStartRegionTest(experiment.key);
  const missing = plan?.missing_for_start ?? [];
  return (
    <Dialog title="Start the test by region" close={close}>
      {!plan && <Skeleton rows={3} />}
      {plan && missing.length > 0 && (
        <>
          <p>Before it can start:</p>
          <ul className="my-2 list-disc pl-5">
            {missing.map((line) => (
              <li key={line}>{line}</li>
            ))}
          </ul>
        </>
      )}
      {plan && missing.length === 0 && calendar && (
        <>
          <dl className="text-sm">
            <FactLine
              label={plan.lower === null ? "Withheld" : "Changed"}
              value={
                plan.lower === null || plan.higher === null
                  ? plan.tested || "the spending"
                  : `${plan.tested || "the spending"}, to ${level(plan.lower)} and ${level(plan.higher)}`
              }
            />
            <FactLine label="First day" value={weekday(calendar.start)} />
            <FactLine label="Length" value={`${plural(plan.weeks ?? 0, "week")} + ${plan.cool_down}`} />
            <FactLine
              label={plan.lower === null ? "Regions without, and with" : "Regions with less, more, and as usual"}
              value={
                plan.lower === null
                  ? `${plan.pairs} and ${plan.pairs}`
                  : `${(plan.pairs ?? 0) / 2}, ${(plan.pairs ?? 0) / 2} and ${plan.pairs}`
              }
            />
            <FactLine label="Decides" value={named(plan.outcome)} />
            <FactLine label="It pays from" value={`${plan.break_even} a ${plan.currency}`} />
            <FactLine label="Spent in all" value={money(calendar.total / 100, plan.currency)} />
            <FactLine
              label={plan.lower === null ? "Still spent where withheld, at most" : "Off the change, at most"}
              value={share(plan.leak_limit)}
            />
          </dl>
          <p className="quiet mt-2 text-sm">
            The plan is locked with the start: it is read once, at its end, and nothing of this changes meanwhile.
          </p>
        </>
      )}
      <FormError error={start.error} />
      <div className="mt-4 flex justify-end gap-2">
        <button type="button" className="btn btn-sm" onClick={close}>
          Cancel
        </button>
        <button
          className="btn btn-sm btn-primary"
          disabled={!plan || missing.length > 0 || start.isPending}
          onClick={() => start.mutate(undefined, { onSuccess: close })}
        >
          Start
        </button>
      </div>
    </Dialog>
  );
}
