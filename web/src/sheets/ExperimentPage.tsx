import { useNavigate, useParams } from "react-router";
import type { DocketRow } from "../api/client";
import { useDocket, useEvidence, useExperiment } from "../api/hooks";
import { day } from "../lib/format";
import { useKeys } from "../lib/keyboard";
import { SHEETS, STATES } from "../lib/words";
import { Empty, Failure, Skeleton } from "../parts/basics";
import { BriefSheet } from "./brief/BriefSheet";
import { EditingProvider, useEditing } from "./editing";
import { EvidenceSheet } from "./evidence/EvidenceSheet";
import { LedgerSheet } from "./LedgerSheet";
import { Rail } from "./Rail";
import { RehearsalSheet } from "./rehearsal/RehearsalSheet";
import { SizingSheet } from "./sizing/SizingSheet";
import { Standing } from "./Standing";
import { TrafficSheet } from "./traffic/TrafficSheet";
import { VerdictSheet } from "./verdict/VerdictSheet";
import { WatchSheet } from "./watch/WatchSheet";

const SHEET_PARTS: Record<string, () => React.ReactNode> = {
  brief: BriefSheet,
  sizing: SizingSheet,
  traffic: TrafficSheet,
  watch: WatchSheet,
  evidence: EvidenceSheet,
  verdict: VerdictSheet,
  rehearsal: RehearsalSheet,
  ledger: LedgerSheet,
};

export function ExperimentPage() {
  const { key = "" } = useParams();
  const experiment = useExperiment(key);
  if (experiment.isPending)
    return (
      <main className="p-6">
        <Skeleton rows={6} />
      </main>
    );
  if (experiment.isError)
    return (
      <main className="p-6">
        <h1 className="mb-3 text-[27px]">No experiment here</h1>
        <Failure error={experiment.error} again={() => void experiment.refetch()} />
      </main>
    );
  return (
    <EditingProvider key={key} experiment={experiment.data}>
      <Layout />
    </EditingProvider>
  );
}

function Layout() {
  const { sheet = "brief" } = useParams();
  const { experiment, undo } = useEditing();
  const evidence = useEvidence(experiment.key, experiment.rule_locked_at !== null);
  const reading = evidence.data?.reading;
  const Sheet = SHEET_PARTS[sheet];
  useSheetKeys(experiment.key, undo);
  const about = [
    experiment.area,
    experiment.started_on ? `started ${day(experiment.started_on)}` : STATES[experiment.state],
    experiment.started_on && experiment.state !== "running" ? STATES[experiment.state] : "",
    experiment.owner,
  ].filter(Boolean);
  return (
    <div className="mx-auto grid max-w-[1400px] grid-cols-[172px_minmax(0,1fr)_256px] gap-6 px-6 pt-4 pb-12 max-xl:grid-cols-[150px_minmax(0,1fr)_220px] max-xl:gap-4 max-xl:px-4 max-md:grid-cols-1">
      <Rail reading={reading} />
      <main className="min-w-0">
        <div className="quiet text-sm">{about.join(" · ")}</div>
        <h1 className="mb-3 text-[27px]">{experiment.name}</h1>
        <Notices />
        <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
          {Sheet ? <Sheet /> : <Empty title="There is no such sheet">The sheets are in the list at the left.</Empty>}
        </div>
      </main>
      <Standing reading={reading} />
    </div>
  );
}

function Notices() {
  const { error, clash, settle, saving, canUndo, undo } = useEditing();
  if (clash) {
    return (
      <div role="alert" className="sheet mb-3 flex items-center gap-3 border-l-4 border-l-warning px-4 py-2">
        <span className="grow">
          Somebody else changed this experiment meanwhile; what you see now is theirs. Your change: {describe(clash)}.
        </span>
        <button className="btn btn-sm" onClick={() => settle(false)}>
          Keep theirs
        </button>
        <button className="btn btn-sm btn-primary" onClick={() => settle(true)}>
          Use mine
        </button>
      </div>
    );
  }
  if (error) {
    return (
      <div role="alert" className="sheet mb-3 border-l-4 border-l-error px-4 py-2">
        {error.message}
      </div>
    );
  }
  if (!saving && !canUndo) return null;
  return (
    <div className="quiet mb-2 flex items-center gap-2 text-sm" role="status">
      {saving ? "Saving…" : "Saved."}
      <button className="link" onClick={undo} disabled={!canUndo}>
        Undo
      </button>
    </div>
  );
}

function describe(changes: object): string {
  return Object.entries(changes)
    .map(
      ([field, value]) =>
        `${field.replaceAll("_", " ")} → ${typeof value === "object" ? "the new list" : String(value)}`,
    )
    .join(", ");
}

function useSheetKeys(key: string, undo: () => void) {
  const navigate = useNavigate();
  const { sheet = "brief" } = useParams();
  const docket = useDocket({ search: "", area: "", mine: false, archived: false });
  const rows: DocketRow[] = docket.data?.rows ?? [];
  const go = (step: number) => {
    const next = rows[rows.findIndex((row) => row.key === key) + step];
    if (next) void navigate(`/experiments/${next.key}/${sheet}`);
  };
  const sheets = Object.fromEntries(
    SHEETS.map((name, index) => [String(index + 1), () => void navigate(`/experiments/${key}/${name}`)]),
  );
  useKeys({ ...sheets, "[": () => go(-1), "]": () => go(1), "ctrl+z": undo });
}
