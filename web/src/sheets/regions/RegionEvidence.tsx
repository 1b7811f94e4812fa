import { useState, type ReactNode } from "react";
import { useSearchParams } from "react-router";
import {
  useRegionDerivation,
  type Bounds,
  type OutcomeEffect,
  type RegionArm,
  type RegionFigureAsked,
  type RegionReading,
} from "../../api/regions";
import { useNotes } from "../../api/running";
import { ChancePicture } from "../../charts/ChancePicture";
import { CoursePicture } from "../../charts/onDemand";
import { PairsPicture } from "../../charts/PairsPicture";
import { count, day, plural, pvalue, signed } from "../../lib/format";
import { Empty, Panel } from "../../parts/basics";
import { DataTable, type Column } from "../../parts/DataTable";
import { DerivationDialog } from "../evidence/DerivationCard";
import { useEditing } from "../editing";
import { groupTitle, levelsRead, whereChanged } from "./groups";
import { ResponsePanel } from "./ResponsePanel";
import { Shown } from "./shown";
import { between, capital, figure, named, whole } from "./words";

/** What the change of spending did, day by day, pair by pair, by outcome, and whether chance could do it. */
export function RegionEvidence() {
  return <Shown title="No evidence before the start">{(shown) => <Seen shown={shown} />}</Shown>;
}

function Seen({ shown }: { shown: RegionReading }) {
  const [address, setAddress] = useSearchParams();
  const arm = shown.arms.find((one) => one.arm === address.get("arm")) ?? shown.arms[0];
  const levels = levelsRead(shown.arms);
  return (
    <>
      {shown.response && <ResponsePanel shown={shown} response={shown.response} />}
      {shown.arms.length > 1 && (
        <div className="join" role="group" aria-label="Which level is shown">
          {shown.arms.map((one) => (
            <button
              key={one.arm}
              className={`btn join-item btn-sm ${one === arm ? "btn-primary" : ""}`}
              aria-pressed={one === arm}
              onClick={() => setAddress({ arm: one.arm }, { replace: true })}
            >
              {groupTitle(one.arm, levels)}
            </button>
          ))}
        </div>
      )}
      {arm && <Arm key={arm.arm} shown={shown} arm={arm} />}
    </>
  );
}

function Arm({ shown, arm }: { shown: RegionReading; arm: RegionArm }) {
  const { primary, course, chance } = arm;
  if (!primary || !course || !chance)
    return (
      <Empty title={shown.days === 0 ? "No days of the test yet" : "Too few pairs have data"}>
        {shown.days === 0
          ? `Spending is ${arm.arm === "withheld" ? "withheld" : "changed"} from ${day(shown.start)} on; bring the days in on Watch.`
          : "Watch names the regions and days that are missing."}
      </Empty>
    );
  return <Read shown={shown} arm={arm} primary={primary} course={course} chance={chance} />;
}

interface Whole {
  shown: RegionReading;
  arm: RegionArm;
  primary: OutcomeEffect;
  course: NonNullable<RegionArm["course"]>;
  chance: NonNullable<RegionArm["chance"]>;
}

function Read({ shown, arm, primary, course, chance }: Whole) {
  const { experiment } = useEditing();
  const notes = [...(useNotes(experiment.key).data ?? []), ...shocksOf(arm)];
  const [what, setWhat] = useState<"days" | "sum">("days");
  const level = `${Number((arm.confidence * 100).toFixed(2))}%`;
  const below = arm.pair_by_pair.filter((pair) => pair.lift < 0).length;
  return (
    <>
      <Panel
        title={`${capital(named(shown.outcome))} ${whereChanged(arm)}`}
        note={
          what === "days"
            ? `a day, observed and (dashed, ${level} band) expected from their partners`
            : `observed less expected, added up since the start, with the ${level} band of chance`
        }
        action={
          <div className="join" role="group" aria-label="What is drawn">
            {(["days", "sum"] as const).map((one) => (
              <button
                key={one}
                className={`btn join-item btn-xs ${what === one ? "btn-primary" : ""}`}
                aria-pressed={what === one}
                onClick={() => setWhat(one)}
              >
                {one === "days" ? "By day" : "Added up"}
              </button>
            ))}
          </div>
        }
      >
        <CoursePicture course={course} testDays={shown.test_days} confidence={level} what={what} notes={notes} />
      </Panel>
      <div className="grid grid-cols-2 gap-3 max-lg:grid-cols-1">
        <Panel title="Pair by pair" note={`less in ${below} of ${plural(arm.pair_by_pair.length, "pair")}`}>
          <PairsPicture pairs={arm.pair_by_pair} />
          <p className="quiet mt-1 text-xs">
            {arm.pair_by_pair.length > 16 && "Sixteen of them, from the largest loss on. "}
            The lines are as long as such a pair goes apart by itself.
          </p>
        </Panel>
        <Panel title="Could chance do this?" note="the same pairs, drawn otherwise">
          <ChancePicture chance={chance} lift={primary.lift.estimate} />
          <p className="quiet mt-1 text-xs">
            Effects of {chance.exact ? "all " : ""}
            {count(chance.draws)} other draws; p {pvalue(primary.pvalue)}.
          </p>
        </Panel>
      </div>
      <Outcomes shown={shown} arm={arm} primary={primary} />
      <Checks shown={shown} arm={arm} primary={primary} />
    </>
  );
}

const SHOCKS_DRAWN = 3;

/** The largest days out of the ordinary, to be drawn as what changed elsewhere is. */
function shocksOf(arm: RegionArm): { day: string; text: string }[] {
  return (arm.watch?.shocks ?? [])
    .slice(0, SHOCKS_DRAWN)
    .map((one) => ({ day: one.day, text: `${one.region}: ${signed(one.size)}` }));
}

interface OfArm {
  shown: RegionReading;
  arm: RegionArm;
  primary: OutcomeEffect;
}

function Outcomes({ shown, arm, primary }: OfArm) {
  const rows = [primary, ...arm.others, ...arm.by_group];
  const columns: Column<OutcomeEffect>[] = [
    {
      name: "Outcome",
      align: "left",
      cell: (row) => (
        <span className={row === primary ? "font-semibold" : ""}>
          {row.group ? `${capital(named(row.outcome))}: ${row.group}` : capital(named(row.outcome))}
          {row === primary && <span className="quiet font-normal"> decides</span>}
          {row.less_is_better && <span className="quiet"> less is better</span>}
        </span>
      ),
      value: (row) => (row.group ? `${row.outcome}: ${row.group}` : row.outcome),
    },
    {
      name: arm.arm === "withheld" ? "Where withheld" : capital(whereChanged(arm)),
      cell: (row) => (
        <>
          <Made row={row} arm={arm} figure="region_lift" label={`Lift of ${named(row.outcome)}`}>
            {signed(row.lift.estimate)}
          </Made>{" "}
          <span className="quiet">({between(row.lift, signed)})</span>
        </>
      ),
      value: (row) => row.lift.estimate,
    },
    { name: "In all", cell: (row) => whole(row.total.estimate), value: (row) => row.total.estimate },
    {
      name: `Return a ${shown.currency}`,
      term: "Incremental return",
      cell: (row) =>
        row.incremental ? (
          <>
            <Made row={row} arm={arm} figure="region_return" label={`Return in ${named(row.outcome)}`}>
              <span className={row === primary ? "font-semibold" : ""}>{figure(row.incremental.estimate)}</span>
            </Made>{" "}
            <span className="quiet">({between(row.incremental, figure)})</span>
          </>
        ) : (
          "nothing changed"
        ),
      value: (row) => row.incremental?.estimate,
    },
    {
      name: "p",
      cell: (row) => (
        <Made row={row} arm={arm} figure="region_pvalue" label={`p of ${named(row.outcome)}`}>
          {pvalue(row.pvalue)}
        </Made>
      ),
      value: (row) => row.pvalue,
    },
  ];
  const several = arm.others.length + arm.by_group.length;
  return (
    <Panel
      title="By outcome"
      note={`${whole(primary.spend)} ${shown.currency} ${arm.arm === "withheld" ? "withheld" : arm.arm === "lower" ? "less spent" : "more spent"}, up to ${day(shown.last)}`}
    >
      <DataTable
        label="Effects by outcome"
        rows={rows}
        rowKey={(row) => `${row.outcome} ${row.group}`}
        columns={columns}
        sortable={false}
      />
      {several > 0 && (
        <p className="quiet mt-1 text-sm">
          Intervals at {Number((arm.confidence * 100).toFixed(2))}%; those that do not decide, and their p, are adjusted
          for how many there are (Holm).
        </p>
      )}
      {arm.step && (
        <p className="quiet mt-1 text-sm">
          The return is that of the money {arm.step}; both levels hold together with{" "}
          {Number((shown.confidence * 100).toFixed(2))}% confidence.
        </p>
      )}
      {arm.unread.length > 0 && (
        <p className="quiet text-sm">Nothing to grow from in some region: {arm.unread.map(named).join(", ")}.</p>
      )}
    </Panel>
  );
}

interface MadeProps {
  row: OutcomeEffect;
  arm: RegionArm;
  figure: RegionFigureAsked["figure"];
  label: string;
  children: ReactNode;
}

/** A figure that opens how it is made. */
function Made({ row, arm, figure: asked, label, children }: MadeProps) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <button type="button" className="figured" title={`${label}: how it is made`} onClick={() => setOpen(true)}>
        {children}
      </button>
      {open && <HowMade row={row} arm={arm} figure={asked} label={label} close={() => setOpen(false)} />}
    </>
  );
}

function HowMade({ row, arm, figure: asked, ...rest }: Omit<MadeProps, "children"> & { close: () => void }) {
  const { experiment } = useEditing();
  const query = useRegionDerivation(experiment.key, {
    figure: asked,
    outcome: row.outcome,
    group: row.group,
    arm: arm.arm,
  });
  return <DerivationDialog query={query} {...rest} />;
}

function Checks({ shown, arm, primary }: OfArm) {
  const { incremental, trimmed } = primary;
  const synthetic = arm.synthetic ?? null;
  if ((!incremental || trimmed === null) && synthetic === null) return null;
  return (
    <Panel title="Read in other ways" note="checks; what decides was fixed at the start">
      {incremental && trimmed !== null && (
        <p>
          Without the pairs that show most and least (a tenth at each end) the return is{" "}
          <span className="font-semibold">{figure(trimmed)}</span> a {shown.currency}:{" "}
          {within(trimmed, incremental)
            ? "within the interval, so no few pairs make it."
            : "outside the interval: a few pairs make much of it."}
        </p>
      )}
      {synthetic !== null && (
        <p className="mt-1">
          Against a mixture of all other regions that went as these did before (synthetic control with differences) the
          lift is <span className="font-semibold">{signed(synthetic)}</span>:{" "}
          {within(synthetic, primary.lift)
            ? "within the interval."
            : "outside the interval; look at Watch for what moved the partners."}
        </p>
      )}
    </Panel>
  );
}

function within(value: number, bounds: Bounds): boolean {
  return (bounds.low === null || value >= bounds.low) && (bounds.high === null || value <= bounds.high);
}
