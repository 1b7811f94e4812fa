import { lazy, Suspense, type ComponentType } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { useDocketOnDemand, useEvidence, useExperiment, useSession } from "../api/hooks";
import { day } from "../lib/format";
import { useKeys } from "../lib/keyboard";
import { PLACE_TITLES, SHEETS, STATES } from "../lib/words";
import { Empty, Failure, Skeleton } from "../parts/basics";
import { Boundary } from "../parts/Boundary";
import { EditingProvider, useEditing } from "./editing";
import { Rail, SheetSwitch } from "./Rail";
import { RegionStanding } from "./regions/RegionStanding";
import { Standing } from "./Standing";
import { Notices } from "./Notices";
import { StandingSkeleton } from "./StandingSkeleton";
import { useTitle } from "../parts/title";

/** Each sheet comes with its own part of the program, when it is opened first. */
const SHEET_PARTS: Record<string, ComponentType> = {
  brief: lazy(() => import("./brief/BriefSheet").then((m) => ({ default: m.BriefSheet }))),
  sizing: lazy(() => import("./sizing/SizingSheet").then((m) => ({ default: m.SizingSheet }))),
  traffic: lazy(() => import("./traffic/TrafficSheet").then((m) => ({ default: m.TrafficSheet }))),
  watch: lazy(() => import("./watch/WatchSheet").then((m) => ({ default: m.WatchSheet }))),
  evidence: lazy(() => import("./evidence/EvidenceSheet").then((m) => ({ default: m.EvidenceSheet }))),
  verdict: lazy(() => import("./verdict/VerdictSheet").then((m) => ({ default: m.VerdictSheet }))),
  rehearsal: lazy(() => import("./rehearsal/RehearsalSheet").then((m) => ({ default: m.RehearsalSheet }))),
  ledger: lazy(() => import("./LedgerSheet").then((m) => ({ default: m.LedgerSheet }))),
};

/** Those of a test by region: the same places, with what is asked of regions. */
const REGION_PARTS: Record<string, ComponentType> = {
  brief: lazy(() => import("./regions/RegionBrief").then((m) => ({ default: m.RegionBrief }))),
  sizing: lazy(() => import("./regions/RegionSizing").then((m) => ({ default: m.RegionSizing }))),
  traffic: lazy(() => import("./regions/RegionTraffic").then((m) => ({ default: m.RegionTraffic }))),
  watch: lazy(() => import("./regions/RegionWatch").then((m) => ({ default: m.RegionWatch }))),
  evidence: lazy(() => import("./regions/RegionEvidence").then((m) => ({ default: m.RegionEvidence }))),
  verdict: lazy(() => import("./regions/RegionVerdict").then((m) => ({ default: m.RegionVerdict }))),
  ledger: SHEET_PARTS.ledger!,
};

export function ExperimentPage() {
  const { key = "" } = useParams();
  const experiment = useExperiment(key);
  // Whose drafts and steps back they are is known with the session.
  const session = useSession();
  if (experiment.isPending || session.isPending)
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
  const { experiment, undo, redo } = useEditing();
  useTitle(PLACE_TITLES[sheet] ?? "", experiment.name);
  const evidence = useEvidence(experiment.key, experiment.rule_locked_at !== null);
  const reading = evidence.data?.reading;
  const Sheet = (experiment.by_region ? REGION_PARTS : SHEET_PARTS)[sheet];
  useSheetKeys(experiment.key, undo, redo);
  const about = [
    experiment.area,
    experiment.started_on
      ? `${startWord(experiment.started_on)} ${day(experiment.started_on)}`
      : STATES[experiment.state],
    experiment.started_on && experiment.state !== "running" ? STATES[experiment.state] : "",
    experiment.owner,
  ].filter(Boolean);
  return (
    <div className="mx-auto grid max-w-[1400px] grid-cols-[172px_minmax(0,1fr)_256px] gap-6 px-6 pt-4 pb-12 max-xl:grid-cols-[150px_minmax(0,1fr)_220px] max-xl:gap-4 max-xl:px-4 max-lg:grid-cols-[minmax(0,1fr)_220px] max-md:grid-cols-1">
      <Rail reading={reading} />
      <SheetSwitch />
      <main className="min-w-0">
        <div className="quiet text-sm">{about.join(" · ")}</div>
        <h1 className="mb-3 text-[27px] wrap-anywhere" dir="auto">
          {experiment.name}
        </h1>
        <Rounds sheet={sheet} />
        <Notices />
        <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
          {Sheet ? (
            <Boundary at={sheet}>
              <Suspense fallback={<Skeleton rows={5} />}>
                <Sheet />
              </Suspense>
            </Boundary>
          ) : (
            <Empty title="There is no such sheet">The sheets are in the list at the left.</Empty>
          )}
        </div>
      </main>
      <StandingPanel evidence={evidence} />
    </div>
  );
}

function StandingPanel({ evidence }: { evidence: ReturnType<typeof useEvidence> }) {
  const { experiment } = useEditing();
  if (experiment.by_region) return <RegionStanding />;
  return evidence.isLoading ? <StandingSkeleton /> : <Standing evidence={evidence.data} />;
}

/** A test by region is started before its first day. */
function startWord(first: string): string {
  return new Date(first) > new Date() ? "starts" : "started";
}

/** The rounds of an experiment that has several, each with an address of its own. */
function Rounds({ sheet }: { sheet: string }) {
  const { experiment } = useEditing();
  if (experiment.rounds.length === 0) return null;
  const present = experiment.round_of || experiment.key;
  const places = experiment.rounds.map((round) => ({ key: round.key, name: `Round ${round.number}` }));
  places.push({ key: present, name: `Round ${experiment.rounds.length + 1}` });
  return (
    <nav aria-label="Rounds" className="mb-3 flex flex-wrap items-center gap-3 text-sm">
      {places.map((place) => (
        <Link
          key={place.key}
          to={`/experiments/${place.key}/${sheet}`}
          aria-current={place.key === experiment.key ? "page" : undefined}
          className={place.key === experiment.key ? "font-semibold" : "link"}
        >
          {place.name}
        </Link>
      ))}
      {experiment.round_of && <span className="quiet">closed; nothing about it changes any more</span>}
    </nav>
  );
}

function useSheetKeys(key: string, undo: () => void, redo: () => void) {
  const navigate = useNavigate();
  const { sheet = "brief" } = useParams();
  const docket = useDocketOnDemand();
  const go = async (step: number) => {
    const rows = await docket().then(
      (answer) => answer.rows,
      () => [], // who is next is not known without an answer
    );
    const next = rows[rows.findIndex((row) => row.key === key) + step];
    if (next) void navigate(`/experiments/${next.key}/${sheet}`);
  };
  const sheets = Object.fromEntries(
    SHEETS.map((name, index) => [String(index + 1), () => void navigate(`/experiments/${key}/${name}`)]),
  );
  useKeys({ ...sheets, "[": () => void go(-1), "]": () => void go(1), "ctrl+z": undo, "ctrl+Z": redo, "ctrl+y": redo });
}
