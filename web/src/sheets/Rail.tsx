import { NavLink, useNavigate, useParams } from "react-router";
import type { Experiment, Reading } from "../api/client";
import { useRegionPlan, useRegionReading, type RegionPlan, type RegionReading } from "../api/regions";
import { verdictNamed } from "../api/vocabulary";
import { bounds, count, plural } from "../lib/format";
import { PLACE_TITLES, SHEET_TITLES, SHEETS, type SheetName } from "../lib/words";
import { useEditing } from "./editing";
import { returnLines } from "./regions/groups";
import { figure, share } from "./regions/words";

/** The six sheets with a line each, so that the rail alone shows the plan. */
export function Rail({ reading }: { reading: Reading | undefined }) {
  const { experiment } = useEditing();
  const plan = useRegionPlan(experiment.key, experiment.by_region).data;
  const shown = useRegionReading(experiment.key, experiment.by_region && experiment.started_on !== null).data;
  const summaries = { ...summarise(experiment, reading), ...(experiment.by_region ? ofRegions(plan, shown) : {}) };
  return (
    <nav aria-label="Sheets" className="no-print max-lg:hidden">
      <ol className="relative">
        <li aria-hidden className="absolute top-3 bottom-8 left-[5px] w-px bg-base-300" />
        {SHEETS.map((name, index) => (
          <li key={name} className="relative mb-4">
            <NavLink
              to={`/experiments/${experiment.key}/${name}`}
              className={({ isActive }) => `flex gap-2.5 ${isActive ? "text-primary" : ""}`}
            >
              {({ isActive }) => (
                <>
                  <Dot active={isActive} filled={summaries[name].done} />
                  <span className="min-w-0">
                    <span className="font-semibold">
                      {SHEET_TITLES[name]} <span className="quiet text-xs font-normal">{index + 1}</span>
                    </span>
                    <span className="quiet block text-xs">{summaries[name].line}</span>
                  </span>
                </>
              )}
            </NavLink>
          </li>
        ))}
      </ol>
      {furtherPlaces(experiment).map((place) => (
        <NavLink
          key={place}
          to={`/experiments/${experiment.key}/${place}`}
          className={({ isActive }) => `mb-1 ml-[21px] block text-sm ${isActive ? "text-primary" : "quiet"} underline`}
        >
          {PLACE_TITLES[place]}
        </NavLink>
      ))}
    </nav>
  );
}

/** What stands below the sheets. */
function furtherPlaces(experiment: Experiment): string[] {
  return experiment.by_region ? ["ledger"] : ["rehearsal", "ledger"];
}

/** The same places where there is no room for the rail. */
export function SheetSwitch() {
  const { experiment } = useEditing();
  const { sheet = "brief" } = useParams();
  const navigate = useNavigate();
  return (
    <nav aria-label="Sheets" className="no-print col-span-full lg:hidden">
      <select
        aria-label="Sheet"
        className="select w-full"
        value={sheet}
        onChange={(event) => void navigate(`/experiments/${experiment.key}/${event.target.value}`)}
      >
        {[...SHEETS, ...furtherPlaces(experiment)].map((place) => (
          <option key={place} value={place}>
            {PLACE_TITLES[place]}
          </option>
        ))}
      </select>
    </nav>
  );
}

/** The lines of a test by region. */
function ofRegions(
  plan: RegionPlan | undefined,
  shown: RegionReading | undefined,
): Partial<Record<SheetName, { line: string; done: boolean }>> {
  const outcome = plan?.outcome.replaceAll("_", " ");
  const returns = shown ? returnLines(shown).map((one) => figure(one.incremental.estimate)) : [];
  return {
    brief: { line: outcome ? `Decides: ${outcome}` : "What is tested, and why", done: !!plan?.tested && !!outcome },
    sizing: {
      line: plan?.pairs
        ? `${plan.pairs} pairs · ${plural(plan.weeks ?? 0, "week")} + ${plan.cool_down}`
        : "Past data, pairs, designs",
      done: !!plan?.pairs,
    },
    traffic: {
      line: plan?.cells
        ? `${plan.cells.pairs.length} regions ${plan.lower === null ? "without, " : "with less or more, "}${plan.cells.pairs.length} ${plan.lower === null ? "with" : "as usual"}`
        : "Not drawn yet",
      done: !!plan?.cells,
    },
    watch: {
      line: !shown ? "Not started" : shown.days === 0 ? "No days yet" : watched(shown),
      done: (shown?.days ?? 0) > 0,
    },
    evidence: {
      line: returns.length > 0 ? `Return ${returns.join(" and ")}` : "Nothing to read yet",
      done: shown?.phase === "complete",
    },
    verdict: { line: shown ? verdictNamed(shown.verdict).title : "Not started", done: shown?.decided ?? false },
  };
}

function watched(shown: RegionReading): string {
  const leak = Math.max(...shown.arms.map((arm) => arm.watch?.leak ?? 0));
  return `Day ${shown.days} of ${shown.test_days + shown.cool_down_days}${leak > 0.005 ? ` · ${shown.arms.length > 1 ? "off plan" : "leak"} ${share(leak)}` : ""}`;
}

function Dot({ active, filled }: { active: boolean; filled: boolean }) {
  const colour = active
    ? "border-primary bg-primary"
    : filled
      ? "border-neutral bg-neutral"
      : "border-neutral bg-base-100";
  return <span aria-hidden className={`relative mt-1 size-[11px] shrink-0 rounded-full border-2 ${colour}`} />;
}

/** "3 weeks"; of a plan of several rounds "2 × 4 weeks". */
function inRounds(rounds: number, weeks: number): string {
  return rounds > 1 ? `${rounds} × ${plural(weeks / rounds, "week")}` : plural(weeks, "week");
}

function summarise(
  experiment: Experiment,
  reading: Reading | undefined,
): Record<SheetName, { line: string; done: boolean }> {
  const plan = experiment.plan;
  const started = experiment.rule_locked_at !== null;
  const weights = experiment.variants.map((variant) => variant.weight ?? 1);
  const total = weights.reduce((sum, weight) => sum + weight, 0);
  const shares = experiment.allocation
    ? "follows the evidence"
    : weights.map((weight) => Math.round((weight / total) * 100)).join("/");
  const units = reading?.arms.reduce((sum, arm) => sum + arm.units, 0) ?? 0;
  const unsound = reading?.verdict === "unsound";
  const best = reading?.comparisons.find((c) => c.letter === reading.variant) ?? reading?.comparisons[0];
  return {
    brief: {
      line: experiment.metric ? `Decides: ${experiment.metric}` : "What is tested, and why",
      done: !!experiment.metric && !!experiment.change,
    },
    sizing: {
      line: plan
        ? `${inRounds(experiment.rounds_planned, plan.weeks)} · ${count(plan.per_arm[0] ?? 0)} in ${plan.per_arm.length > 2 ? "each" : "control"}`
        : "How many, how long",
      done: plan !== null,
    },
    traffic: {
      line: `${Math.round(experiment.participation * 100)}% of ${experiment.unit_name} · ${shares}`,
      done: started,
    },
    watch: {
      line: units
        ? `${unsound ? "Unsound" : "Split as planned"} · ${count(units)} ${experiment.unit_name}`
        : "No data yet",
      done: units > 0,
    },
    evidence: {
      line:
        best && !unsound
          ? `${best.effect.estimate_text} (${bounds(best.effect)})`
          : units
            ? "Not to be read"
            : "Nothing to read yet",
      done: units > 0,
    },
    verdict: {
      line:
        experiment.state === "tailored"
          ? "Given without a test"
          : experiment.decision
            ? `Decided: ${experiment.decision === "none" ? "no rollout" : experiment.decision}`
            : reading
              ? verdictNamed(reading.verdict).title
              : "Not yet",
      done: experiment.decision !== "" || experiment.state === "tailored",
    },
  };
}
