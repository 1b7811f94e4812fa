import { Problem } from "../../api/client";
import {
  useBringDays,
  useFetchSpend,
  useRegionPlan,
  type RegionArm,
  type RegionReading,
  type RegionWatchOf,
} from "../../api/regions";
import { SpendPicture } from "../../charts/onDemand";
import { count, day, plural, signed } from "../../lib/format";
import { Panel } from "../../parts/basics";
import { DataTable } from "../../parts/DataTable";
import { Term } from "../../parts/Term";
import { UploadPanel } from "../../parts/UploadPanel";
import { WrongLines } from "../../parts/WrongLines";
import { useEditing } from "../editing";
import { ChangeNotes } from "../watch/ChangeNotes";
import { groupTitle, level, levelsRead, whereChanged, type Group } from "./groups";
import { Shown } from "./shown";
import { capital, money, named, share } from "./words";

/** Whether the test runs as it was planned, and where its days come in. */
export function RegionWatch() {
  return <Shown title="Nothing to watch before the start">{(shown) => <Watched shown={shown} />}</Shown>;
}

function Watched({ shown }: { shown: RegionReading }) {
  const { experiment, mayAct } = useEditing();
  const open = mayAct && ["running", "ended"].includes(experiment.state);
  return (
    <>
      {shown.spend.length > 0 && <Spending shown={shown} />}
      {shown.arms.map((arm) => arm.watch && <Regions key={arm.arm} shown={shown} arm={arm} watch={arm.watch} />)}
      {open && <DaysIn shown={shown} />}
      <ChangeNotes />
    </>
  );
}

/** How far what was spent is off what was to be changed, in a sentence. */
function Leak({ shown, arm }: { shown: RegionReading; arm: RegionArm }) {
  const leak = arm.watch?.leak ?? null;
  const over = leak !== null && leak > shown.leak_limit;
  const figure = leak !== null && (
    <span className={over ? "font-semibold text-error" : "font-semibold"}>{share(leak)}</span>
  );
  if (arm.arm === "withheld")
    return (
      <p className="mb-2">
        {!figure ? (
          "How much still goes to the withheld regions cannot be said yet."
        ) : (
          <>
            {figure} of the usual spend still went to the withheld regions; more than {share(shown.leak_limit)} would
            make the test unsound. <Term name="Leak" />
          </>
        )}
      </p>
    );
  return (
    <p className="mb-2">
      {!figure ? (
        `How far the regions keep to ${level(arm.level)} cannot be said yet.`
      ) : (
        <>
          Where {level(arm.level)} is planned, {share(arm.watch?.share ?? 0)} of the usual was spent: {figure} of the
          change went another way; more than {share(shown.leak_limit)} would make the test unsound. <Term name="Leak" />
        </>
      )}
    </p>
  );
}

function Spending({ shown }: { shown: RegionReading }) {
  const levels = levelsRead(shown.arms);
  const title = (group: Group) => groupTitle(group, levels);
  const sum = (values: number[]) => values.reduce((total, value) => total + value, 0);
  return (
    <Panel title="Spending" note={`up to ${day(shown.last)}, against the calendar`}>
      {shown.arms.map((arm) => (
        <Leak key={arm.arm} shown={shown} arm={arm} />
      ))}
      <SpendPicture height={170} spend={shown.spend} title={title} start={shown.start} currency={shown.currency} />
      <div className="mt-2">
        <DataTable
          label="Spending by group"
          rows={shown.spend.filter((one) => sum(one.planned) + sum(one.spent) > 0 || one.group !== "other")}
          rowKey={(row) => row.group}
          columns={[
            { name: "Group", align: "left", cell: (row) => title(row.group), value: (row) => title(row.group) },
            {
              name: `Planned (${shown.currency})`,
              cell: (row) => count(sum(row.planned)),
              value: (row) => sum(row.planned),
            },
            { name: `Spent (${shown.currency})`, cell: (row) => count(sum(row.spent)), value: (row) => sum(row.spent) },
            {
              name: "Difference",
              cell: (row) => (row.difference === null ? "nothing planned" : signedShare(row.difference)),
              value: (row) => row.difference,
            },
          ]}
        />
      </div>
    </Panel>
  );
}

function signedShare(value: number): string {
  return `${value < -0.0005 ? "−" : value > 0.0005 ? "+" : ""}${share(Math.abs(value))}`;
}

function Regions({ shown, arm, watch }: { shown: RegionReading; arm: RegionArm; watch: RegionWatchOf }) {
  return (
    <Panel
      title={arm.arm === "withheld" ? "Regions" : `Regions ${whereChanged(arm)}, and their partners`}
      note={`${arm.pairs - arm.left_out} of ${plural(arm.pairs, "pair")} have their days`}
    >
      {watch.leaks.length === 0 && watch.missing.length === 0 && !watch.moved_too_far && (
        <p>
          {arm.arm === "withheld"
            ? "No withheld region has more than a trace of its usual spend, every day has come in, and the partners move as ever."
            : "Every region keeps to its level, every day has come in, and the partners move as ever."}
        </p>
      )}
      {watch.moved !== null && (
        <p className={watch.moved_too_far ? "text-warning-content" : "quiet"}>
          The regions where it goes on stand {signedShare(watch.moved)} against those not analysed,{" "}
          {watch.moved_too_far
            ? "further than in the past: something may have reached them too."
            : "no further than in the past."}
        </p>
      )}
      {watch.leaks.length > 0 && (
        <DataTable
          label="Where it leaks"
          rows={watch.leaks}
          rowKey={(row) => row.region}
          maxHeight="16rem"
          columns={[
            {
              name: arm.arm === "withheld" ? "Still spent in" : "Off its level",
              align: "left",
              cell: (row) => row.region,
              value: (row) => row.region,
            },
            { name: "Spent", cell: (row) => money(row.spent, shown.currency), value: (row) => row.spent },
            {
              name: "Of what is usual",
              cell: (row) => (row.share === null ? "none is usual" : share(row.share)),
              value: (row) => row.share,
            },
          ]}
        />
      )}
      {watch.shocks.length > 0 && (
        <DataTable
          label="Days out of the ordinary"
          rows={watch.shocks}
          rowKey={(row) => `${row.region} ${row.day}`}
          maxHeight="16rem"
          columns={[
            { name: "Out of the ordinary", align: "left", cell: (row) => row.region, value: (row) => row.region },
            { name: "Day", cell: (row) => day(row.day), value: (row) => row.day },
            {
              name: `${capital(named(shown.outcome))} against what was to be expected`,
              cell: (row) => signed(row.size),
              value: (row) => row.size,
            },
          ]}
          below={
            <span className="quiet">
              They stay in, as placebo tests have had such days too; note below what it was. The largest are drawn on
              Evidence.
            </span>
          }
        />
      )}
      {watch.missing.length > 0 && (
        <DataTable
          label="Days that are missing"
          rows={watch.missing}
          rowKey={(row) => row.region}
          maxHeight="16rem"
          columns={[
            { name: "No data of", align: "left", cell: (row) => row.region, value: (row) => row.region },
            { name: "From", cell: (row) => day(row.first), value: (row) => row.first },
            { name: "Days", cell: (row) => row.days, value: (row) => row.days },
          ]}
        />
      )}
    </Panel>
  );
}

function DaysIn({ shown }: { shown: RegionReading }) {
  const { experiment } = useEditing();
  const bring = useBringDays(experiment.key);
  const fetch = useFetchSpend(experiment.key);
  const plan = useRegionPlan(experiment.key).data;
  const wrong = bring.error instanceof Problem && bring.error.wrong.length > 0 ? bring.error : null;
  // Whichever came last.
  const brought = fetch.submittedAt > bring.submittedAt ? fetch.data : bring.data;
  return (
    <UploadPanel
      title="Days of the test"
      note={shown.days === 0 ? "none yet" : `${plural(shown.days, "day")} of ${shown.test_days + shown.cool_down_days}`}
      holds="CSV or Parquet with the columns of the past data; a file with region, day and spend alone brings the spend. What it contains replaces what was there, and nothing else."
      label="File of days of the test"
      button="Choose a file"
      accept=".csv,.tsv,.txt,.parquet"
      busy={bring.isPending}
      pick={(file) => bring.mutate(file)}
      error={wrong ? null : (bring.error ?? fetch.error)}
      actions={
        plan?.desk_reference && (
          <button type="button" className="btn btn-sm" disabled={fetch.isPending} onClick={() => fetch.mutate()}>
            {fetch.isPending ? "Fetching…" : "Fetch what was spent from the advertising desk"}
          </button>
        )
      }
    >
      {wrong && (
        <WrongLines
          wrong={wrong.wrongCount}
          lines={wrong.wrong.map((line) => ({
            where: `line ${line.line}, ${line.column} “${line.value}”`,
            reason: line.reason,
          }))}
          consequence="nothing of the file was kept"
        />
      )}
      {brought && (
        <p role="status" className="mt-2 text-sm">
          {count(brought.new)} new and {count(brought.changed)} changed figures
          {brought.last ? ` up to ${day(brought.last)}` : ""}.
          {brought.past > 0 && ` ${count(brought.past)} rows of the past stay as they were.`}
          {brought.unknown.length > 0 && ` Not in the test: ${brought.unknown.slice(0, 5).join(", ")}.`}
        </p>
      )}
    </UploadPanel>
  );
}
