import { Link } from "react-router";
import type { Evidence } from "../../api/client";
import { useEvidence } from "../../api/hooks";
import { percentText, weekday } from "../../lib/format";
import { Empty, Failure, Panel, Skeleton } from "../../parts/basics";
import { useEditing } from "../editing";
import { ChancesAhead } from "./ChancesAhead";
import { DESIGN_PANELS } from "./designs";
import { Funnels } from "./Funnels";
import { LooksPanel } from "./LooksPanel";
import { Method } from "./Method";
import { PageUsePanel } from "./pageUse/PageUsePanel";
import { RoundsPanel } from "./RoundsPanel";
import { SecondCountsPanel } from "./SecondCountsPanel";
import { SpendPanel } from "./SpendPanel";
import { ByDaysPanel } from "./ByDaysPanel";
import { OverTime } from "./OverTime";
import { Segments } from "./Segments";
import { SecondaryMetrics } from "./SecondaryMetrics";
import { VariantTable } from "./VariantTable";

function removed(share: number): string {
  return share < 0.0005 ? "none" : `${(share * 100).toFixed(share < 0.1 ? 1 : 0)}%`;
}

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
        Bring in a file of counts, units or events on the{" "}
        <Link className="link" to={`/experiments/${experiment.key}/watch`}>
          Watch sheet
        </Link>
        .
      </Empty>
    );
  }
  return <Read evidence={evidence.data} />;
}

const FILES: { what: string; files: [string, string][] }[] = [
  {
    what: "Evidence",
    files: [
      ["CSV", "evidence.csv"],
      ["Parquet", "evidence.parquet"],
      ["JSON", "evidence.json"],
    ],
  },
  {
    what: "Daily counts",
    files: [
      ["CSV", "counts.csv"],
      ["Parquet", "counts.parquet"],
    ],
  },
  {
    what: "Strips",
    files: [
      ["SVG", "picture.svg"],
      ["PNG", "picture.png"],
    ],
  },
  {
    what: "Over time",
    files: [
      ["SVG", "picture.svg?which=over_time"],
      ["PNG", "picture.png?which=over_time"],
    ],
  },
  { what: "Verdict file", files: [["ZIP", "verdict.zip"]] },
];

function Read({ evidence }: { evidence: Evidence }) {
  const { experiment } = useEditing();
  const { reading } = evidence;
  const unsound = reading.verdict === "unsound";
  const base = `/api/v1/experiments/${experiment.key}`;
  const DesignPanel = DESIGN_PANELS[reading.design];
  return (
    <>
      <Panel
        title={`${experiment.metric[0]?.toUpperCase()}${experiment.metric.slice(1)}`}
        note={`${percentText(reading.interval_confidence)}% intervals; grey band: ±${reading.worthwhile_text}`}
      >
        <VariantTable reading={reading} experiment={experiment.key} />
        <ChancesAhead reading={reading} experiment={experiment.key} />
      </Panel>
      {reading.variance_removed != null && (
        <p className="sheet px-4 py-2 text-sm">
          {reading.stratified_by
            ? `Post-stratified by ${reading.stratified_by}`
            : `Adjusted by what units came to in the ${reading.adjusted_by_days} days before`}
          : that takes {removed(reading.variance_removed)} of the variance away.
        </p>
      )}
      {evidence.partial_day && <p className="sheet px-4 py-2 text-sm">{evidence.partial_day}</p>}
      {evidence.capped.length > 0 && (
        <div className="sheet px-4 py-2 text-sm">
          {evidence.capped.map((line) => (
            <p key={line.metric}>{line.sentence}</p>
          ))}
        </div>
      )}
      {DesignPanel && reading.summary && !unsound && (
        <DesignPanel summary={reading.summary} reading={reading} experiment={experiment.key} />
      )}
      {evidence.looks && <LooksPanel looks={evidence.looks} reading={reading} />}
      {evidence.rounds && <RoundsPanel rounds={evidence.rounds} worthwhile={reading.worthwhile_lift} />}
      {unsound ? (
        <p className="sheet tone-unsound border-l-4 border-l-error px-4 py-2">
          {reading.headline} The lift is not shown, because it would be believed.
        </p>
      ) : (
        <OverTime evidence={evidence} />
      )}
      {!unsound && <SecondaryMetrics reading={reading} />}
      {!unsound && <Funnels funnels={evidence.funnels} worthwhile={reading.worthwhile_lift} />}
      <ByDaysPanel lines={evidence.by_days} />
      <SecondCountsPanel counts={evidence.second_counts ?? []} />
      {!unsound && !experiment.round_of && <PageUsePanel />}
      {evidence.spend && <SpendPanel spend={evidence.spend} reading={reading} />}
      {!unsound && <Segments spoken={reading.variant ?? ""} />}
      <div className="flex flex-wrap items-center gap-4 text-sm">
        <span className="quiet">Export:</span>
        {FILES.map(({ what, files }) => (
          <span key={what} className="flex gap-2">
            {what}
            {files.map(([form, file]) => (
              <a key={file} className="link" href={`${base}/${file}`} aria-label={`${what}, ${form}`} download>
                {form}
              </a>
            ))}
          </span>
        ))}
      </div>
      <p className="quiet text-sm">
        The verdict file has counts, rule and figures, and two scripts (Python, R) that work all of it out again without
        this application and say what they do not cover.
      </p>
      <Method reading={reading} />
    </>
  );
}
