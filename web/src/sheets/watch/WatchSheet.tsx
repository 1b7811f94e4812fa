import type { Evidence } from "../../api/client";
import { useEvidence } from "../../api/hooks";
import { useLive, useNotes } from "../../api/running";
import { DailyLines } from "../../charts/onDemand";
import { count, day, pvalue, rate } from "../../lib/format";
import { Empty, Failure, Panel, Skeleton } from "../../parts/basics";
import { DataTable } from "../../parts/DataTable";
import { Letter } from "../../parts/Letter";
import { Term } from "../../parts/Term";
import { Figured } from "../evidence/DerivationCard";
import { useEditing } from "../editing";
import { ChangeNotes } from "./ChangeNotes";
import { DataIn } from "./DataIn";
import { FilesIn } from "./FilesIn";
import {
  ChangesMade,
  WhoArrived,
  DataQualityIssues,
  Hours,
  Intake,
  Latest,
  LookedAt,
  Segments,
  SplitByDay,
  WhoIsCounted,
} from "./LivePanels";

/** Arrivals, events and the split: is the data what the design says? Nothing here shows lifts. */
export function WatchSheet() {
  const { experiment, mayEdit } = useEditing();
  const started = experiment.rule_locked_at !== null;
  const served = experiment.data_from === "events";
  const evidence = useEvidence(experiment.key, started);
  const running = ["draft", "scheduled", "running", "paused"].includes(experiment.state);
  const live = useLive(experiment.key, served && running);
  if (!started && !served)
    return (
      <Empty title="Not started yet">
        Start the experiment first: the decision rule is locked before data is seen. Then bring the counts in here.
      </Empty>
    );
  if (live.isPending || (started && evidence.isPending)) return <Skeleton rows={5} />;
  if (live.isError) return <Failure error={live.error} again={() => void live.refetch()} />;
  if (evidence.isError) return <Failure error={evidence.error} again={() => void evidence.refetch()} />;
  const empty = !evidence.data || evidence.data.arrivals.days.length === 0;
  return (
    <>
      <DataQualityIssues live={live.data} />
      <LookedAt live={live.data} unit={experiment.unit_name} />
      {evidence.data && !empty && <Arrivals evidence={evidence.data} />}
      {served && <WhoArrived live={live.data} />}
      {served && <ChangesMade live={live.data} />}
      {served && <Latest live={live.data} running={running} fold={!empty} />}
      {served && !empty && (
        <div className="grid grid-cols-2 items-start gap-3 max-xl:grid-cols-1">
          <Hours live={live.data} unit={experiment.unit_name} />
          <Segments live={live.data} follows={experiment.allocation !== null} />
        </div>
      )}
      {(served || !empty) && (
        <div className="grid grid-cols-2 items-start gap-3 max-xl:grid-cols-1">
          {served && (
            <div className="grid gap-3">
              <Intake live={live.data} />
              <WhoIsCounted live={live.data} unit={experiment.unit_name} />
            </div>
          )}
          {!empty && <SplitByDay live={live.data} />}
        </div>
      )}
      {started && <ChangeNotes />}
      {started && mayEdit && <DataIn />}
      {started && mayEdit && <FilesIn />}
      {!mayEdit && empty && !served && <Empty title="No data yet">An analyst brings the counts in here.</Empty>}
    </>
  );
}

function Arrivals({ evidence }: { evidence: Evidence }) {
  const { reading, arrivals } = evidence;
  const { experiment } = useEditing();
  const notes = useNotes(experiment.key);
  const columns = reading.arms.map((_, arm) => arrivals.units.map((row) => row[arm] ?? 0));
  const apart = reading.overlap?.days_apart ?? [];
  return (
    <>
      <div className="grid grid-cols-2 gap-3 max-xl:grid-cols-1">
        <Panel title="Arrivals by day" note={`${reading.unit_name}; dashed: control`}>
          <DailyLines
            days={arrivals.days}
            values={columns}
            format={count}
            label={`${reading.unit_name} of each variant by day`}
            height={180}
            notes={notes.data}
          />
        </Panel>
        <Panel
          title={
            <>
              <Term name="Split" /> against the plan
            </>
          }
          note={
            <Figured experiment={experiment.key} figure="split" variant="B" label="p of the split">
              p {pvalue(arrivals.split.pvalue)}
            </Figured>
          }
        >
          <DataTable
            label="Split against the plan"
            rows={arrivals.arms}
            rowKey={(arm) => arm.letter}
            columns={[
              {
                name: "Variant",
                align: "left",
                hideable: false,
                value: (arm) => arm.letter,
                cell: (arm, index) => (
                  <span className="flex items-center gap-2">
                    <Letter letter={arm.letter} />
                    <span>{reading.arms[index]?.name}</span>
                  </span>
                ),
              },
              { name: reading.unit_name, value: (arm) => arm.units, cell: (arm) => count(arm.units) },
              {
                name: "Observed",
                className: "font-semibold",
                value: (arm) => arm.seen_share,
                cell: (arm) => rate(arm.seen_share, 2),
              },
              { name: "Planned", value: (arm) => arm.planned_share, cell: (arm) => rate(arm.planned_share, 2) },
            ]}
          />
          <p className={`mt-2 text-sm ${arrivals.split.as_planned ? "quiet" : "tone-unsound font-semibold"}`}>
            {arrivals.split.as_planned
              ? "As planned, give or take chance."
              : "✕ Not as planned: some units are lost, or counted twice."}
          </p>
          {reading.overlap && !reading.overlap.same_time && (
            <p className="tone-unsound mt-1 text-sm font-semibold">
              ✕ Not observed at the same time
              {apart.length > 0 &&
                `: ${apart
                  .slice(0, 4)
                  .map((iso) => day(iso))
                  .join(", ")}${apart.length > 4 ? " and more" : ""}`}
            </p>
          )}
        </Panel>
      </div>
    </>
  );
}
