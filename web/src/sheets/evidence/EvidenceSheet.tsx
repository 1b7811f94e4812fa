import { useSearchParams } from "react-router";
import { Link } from "react-router";
import type { Evidence } from "../../api/client";
import { useEvidence } from "../../api/hooks";
import { useNotes } from "../../api/running";
import { DailyLines } from "../../charts/DailyLines";
import { LiftOverTime } from "../../charts/LiftOverTime";
import { percentText, rate, weekday } from "../../lib/format";
import { variantColour } from "../../lib/variants";
import { Empty, Failure, Panel, Skeleton } from "../../parts/basics";
import { Letter } from "../../parts/Letter";
import { useEditing } from "../editing";
import { figuresOf } from "../../lib/metrics";
import { variantTableText } from "../../lib/tableText";
import { CopyTable } from "../../parts/CopyTable";
import { Method } from "./Method";
import { Segments } from "./Segments";
import { SideMetrics } from "./SideMetrics";
import { VariantTable } from "./VariantTable";

export function EvidenceSheet() {
  const { experiment } = useEditing();
  const started = experiment.rule_locked_at !== null;
  const evidence = useEvidence(experiment.key, started);
  if (!started)
    return <Empty title="Nothing to read yet">Evidence comes once the experiment has started and counts are in.</Empty>;
  if (evidence.isPending) return <Skeleton rows={5} />;
  if (evidence.isError) return <Failure error={evidence.error} again={() => void evidence.refetch()} />;
  const { reading, arrivals, daily } = evidence.data;
  if (daily.days.length === 0 && arrivals.days.length > 0 && reading.next_look) {
    return (
      <Empty title={`First look on ${weekday(reading.next_look)}`}>
        The decision rule reads on set days. Until then no lift is shown; arrivals are on the Watch sheet.
      </Empty>
    );
  }
  if (daily.days.length === 0) {
    return (
      <Empty title="No data yet">
        Bring in a file of daily counts, or type them, on the{" "}
        <Link className="link" to={`/experiments/${experiment.key}/watch`}>
          Watch sheet
        </Link>
        .
      </Empty>
    );
  }
  return <Read evidence={evidence.data} />;
}

function Read({ evidence }: { evidence: Evidence }) {
  const { experiment } = useEditing();
  const { reading } = evidence;
  const unsound = reading.verdict === "unsound";
  const base = `/api/v1/experiments/${experiment.key}`;
  return (
    <>
      <Panel
        title={`${experiment.metric[0]?.toUpperCase()}${experiment.metric.slice(1)}`}
        note={`${percentText(reading.confidence)}% intervals; grey band: ±${percentText(reading.worthwhile_lift)}%`}
        action={<CopyTable text={variantTableText(reading)} />}
      >
        <VariantTable reading={reading} />
      </Panel>
      {reading.read_on && (
        <p className="sheet px-4 py-2 text-sm">
          As read on {weekday(reading.read_on)}.
          {reading.next_look && ` What came since is not shown before the next look, on ${weekday(reading.next_look)}.`}
        </p>
      )}
      {unsound ? (
        <p className="sheet tone-unsound border-l-4 border-l-error px-4 py-2">
          {reading.headline} The lift is not shown, because it would be believed.
        </p>
      ) : (
        <OverTime evidence={evidence} />
      )}
      {!unsound && <SideMetrics reading={reading} />}
      {!unsound && <Segments />}
      <div className="flex flex-wrap items-center gap-4 text-sm">
        <span className="quiet">Take it with you:</span>
        <a className="link" href={`${base}/evidence.csv`} download>
          Evidence, CSV
        </a>
        <a className="link" href={`${base}/evidence.json`} download>
          Evidence, JSON
        </a>
        <a className="link" href={`${base}/counts.csv`} download>
          Daily counts, CSV
        </a>
      </div>
      <Method reading={reading} />
    </>
  );
}

function OverTime({ evidence }: { evidence: Evidence }) {
  const [params, setParams] = useSearchParams();
  const { experiment } = useEditing();
  const notes = useNotes(experiment.key);
  const { reading, series, daily } = evidence;
  const chosen = series.find((line) => line.letter === (params.get("variant") ?? reading.variant)) ?? series[0];
  const levels = reading.arms.map((_, arm) => daily.levels.map((row) => row[arm] ?? null));
  const figures = figuresOf(reading, levels.flat());
  return (
    <div className="grid grid-cols-2 gap-3 max-xl:grid-cols-1">
      {chosen && (
        <Panel
          title="Lift as data came in"
          note={series.length > 1 ? undefined : `${percentText(reading.confidence)}% interval each day`}
          action={
            series.length > 1 ? (
              <span className="flex gap-1">
                {series.map((line) => (
                  <button
                    key={line.letter}
                    aria-pressed={line === chosen}
                    aria-label={`Show ${line.letter}`}
                    className={`rounded p-0.5 ${line === chosen ? "bg-base-300" : ""}`}
                    onClick={() => setParams({ variant: line.letter }, { replace: true })}
                  >
                    <Letter letter={line.letter} />
                  </button>
                ))}
              </span>
            ) : undefined
          }
        >
          <LiftOverTime
            days={daily.days}
            series={chosen}
            worthwhile={reading.worthwhile_lift}
            colour={variantColour("ABCDEFGHIJ".indexOf(chosen.letter))}
            notes={notes.data}
          />
          <p className="quiet mt-1 text-xs">
            The rule reads the last day only; the days before are history, not looks.
          </p>
        </Panel>
      )}
      <Panel title={`${figures.levelHead} by day`} note="dashed: control">
        <DailyLines
          days={daily.days}
          values={levels}
          format={(value) => (reading.kind === "rate" ? rate(value, 1) : figures.level(value))}
          label="Conversion rate of each variant by day"
          notes={notes.data}
        />
        <p className="quiet mt-1 text-xs">One day alone says little; look for gaps and jumps.</p>
      </Panel>
    </div>
  );
}
