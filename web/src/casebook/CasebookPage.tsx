import { Link } from "react-router";
import type { Casebook } from "../api/client";
import { useCasebook } from "../api/outcome";
import { copiedLift, stripColumn } from "../charts/stripColumn";
import { verdictNamed, vocabulary } from "../api/vocabulary";
import { sharedAxis } from "../lib/axis";
import { bounds, count, day, plural, signed } from "../lib/format";
import { useSettled } from "../lib/useSettled";
import { useWidth } from "../lib/useWidth";
import { TONE_CLASS } from "../lib/words";
import { useAddressParams } from "../lib/useAddressParams";
import { Empty, Failure, Panel, Skeleton } from "../parts/basics";
import { DataTable, type Column } from "../parts/DataTable";
import { Levels } from "./Levels";
import { RegionCases } from "./RegionCases";
import { useTitle } from "../parts/title";

type Case = Casebook["cases"][number];
const NEEDS = 900;

/** Decided experiments: what was tried, what came of it, how often we win, and how good our guesses are. */
export function CasebookPage() {
  useTitle("Casebook");
  const [params, change] = useAddressParams();
  const typed = params.get("find") ?? "";
  const search = useSettled(typed, 250);
  const area = params.get("area") ?? "";
  const verdict = params.get("verdict") ?? "";
  const query = useCasebook({ search, area, verdict });
  const choose = (name: string, value: string) => change({ [name]: value });
  const first = query.data?.pages[0];
  const cases = query.data?.pages.flatMap((page) => page.cases) ?? [];
  return (
    <main className="mx-auto max-w-[1200px] px-6 pt-4 pb-12 max-sm:px-3">
      <h1 className="mb-1 text-[27px]">Casebook</h1>
      {query.isPending && <Skeleton rows={6} />}
      {query.isError && <Failure error={query.error} again={() => void query.refetch()} />}
      {first && first.record.decided === 0 && (
        <Empty title="No test of visitors is decided yet">
          Every experiment that is decided comes here, with what was believed beforehand and what was learnt.
        </Empty>
      )}
      {first && first.record.decided > 0 && (
        <>
          <TrackRecord record={first.record} />
          <div className="my-3 flex flex-wrap items-center gap-2">
            <input
              type="search"
              className="input input-sm w-72"
              aria-label="Search the casebook"
              placeholder="Search text of decided experiments"
              value={typed}
              onChange={(event) => choose("find", event.target.value)}
            />
            <select
              className="select select-sm w-auto"
              aria-label="Area"
              value={area}
              onChange={(event) => choose("area", event.target.value)}
            >
              <option value="">all areas</option>
              {first.areas.map((name) => (
                <option key={name}>{name}</option>
              ))}
            </select>
            <select
              className="select select-sm w-auto"
              aria-label="Verdict"
              value={verdict}
              onChange={(event) => choose("verdict", event.target.value)}
            >
              <option value="">all verdicts</option>
              {vocabulary.verdicts
                .filter((look) => look.name !== "keep_collecting")
                .map((look) => (
                  <option key={look.name} value={look.name}>
                    {look.title}
                  </option>
                ))}
            </select>
            <span className="quiet text-sm" role="status">
              {plural(first.count, "experiment")}
            </span>
          </div>
          <Cases cases={cases} />
          {query.hasNextPage && (
            <p className="mt-2 flex items-center gap-3 text-sm">
              <button
                type="button"
                className="btn btn-sm"
                disabled={query.isFetchingNextPage}
                onClick={() => void query.fetchNextPage()}
              >
                Show more
              </button>
              <span className="quiet">
                {cases.length} of {count(first.count)}; sorting and copying go by those that are shown
              </span>
            </p>
          )}
          <div className="mt-3">
            <Levels />
          </div>
        </>
      )}
      <div className="mt-3">
        <RegionCases />
      </div>
    </main>
  );
}

function TrackRecord({ record }: { record: Casebook["record"] }) {
  return (
    <section className="sheet px-4 py-3" aria-label="Our record">
      <ul className="grid gap-1">
        {record.sentences.map((sentence, index) => (
          <li key={sentence} className={index === 0 ? "font-serif text-xl" : ""}>
            {sentence}
          </li>
        ))}
      </ul>
      <details className="mt-2 text-sm">
        <summary className="cursor-pointer quiet">How these figures are made</summary>
        <p className="mt-1">
          The share of wins is of all sound experiments, with Wilson’s interval. For the lift adjusted for selection,
          every lift is taken on the log scale with the error its interval gives, and each is drawn towards the mean of
          all by as much as chance spreads it, the spread between experiments integrated over (Gelman 2006); the
          winners’ mean is taken of those (Efron 2011). A forecast counts as held when the lift seen lies in the range
          its author was 80% sure of.
        </p>
      </details>
    </section>
  );
}

function Cases({ cases }: { cases: Case[] }) {
  const [holder, width] = useWidth(NEEDS);
  if (cases.length === 0) return <Empty title="No match">Use fewer words, or all areas and verdicts.</Empty>;
  return (
    <Panel title="Decided" note="the latest first; all on one axis">
      <div ref={holder}>
        <DataTable
          label="Decided experiments"
          rows={cases}
          rowKey={(line) => line.key}
          columns={columnsOf(cases, width < NEEDS ? 120 : 220)}
        />
      </div>
    </Panel>
  );
}

function columnsOf(cases: Case[], strip: number): Column<Case>[] {
  const axis = sharedAxis(
    cases.map((line) => line.lift),
    0.03,
  );
  return [
    {
      name: "Experiment",
      align: "left",
      hideable: false,
      value: (line) => line.name,
      copied: [
        ["experiment", (line) => line.name],
        ["area", (line) => line.area],
        ["metric", (line) => line.metric],
        ["decided", (line) => line.decided_at.slice(0, 10)],
        ["learnt", (line) => line.learnt],
      ],
      cell: (line) => <Described line={line} />,
    },
    {
      name: "Verdict",
      align: "left",
      value: (line) => line.verdict_name,
      copied: [
        ["verdict", (line) => line.verdict_name],
        ["decision", (line) => line.decision],
      ],
      cell: (line) => {
        const verdict = verdictNamed(line.verdict);
        return (
          <span className={TONE_CLASS[verdict.tone]}>
            {verdict.mark} {verdict.title}
          </span>
        );
      },
    },
    {
      ...stripColumn(axis, strip, (line: Case) =>
        line.lift
          ? {
              lift: line.lift,
              tone: line.tone,
              worthwhile: line.worthwhile_lift,
              sentence: `${line.name}: lift ${line.lift.estimate_text} (${bounds(line.lift)})`,
            }
          : null,
      ),
      responsive: "max-sm:hidden",
    },
    {
      name: "Lift",
      className: "whitespace-nowrap",
      value: (line) => line.lift?.estimate,
      copied: copiedLift((line) => line.lift),
      cell: (line) =>
        line.lift ? (
          <>
            {line.lift.estimate_text}
            <span className="quiet block text-xs">{bounds(line.lift)}</span>
            {line.adjusted_text && <span className="quiet block text-xs">{line.adjusted_text}</span>}
          </>
        ) : (
          "–"
        ),
    },
    {
      name: "Adjusted for selection",
      term: "Adjusted for selection",
      responsive: "max-sm:hidden",
      value: (line) => line.partially_pooled?.estimate,
      cell: (line) => (line.partially_pooled ? signed(line.partially_pooled.estimate) : "–"),
    },
    {
      name: "Forecasts",
      className: "whitespace-nowrap",
      responsive: "max-lg:hidden",
      value: (line) => (line.forecasts ? line.forecasts_held / line.forecasts : undefined),
      copied: [],
      cell: (line) => (line.forecasts ? `${line.forecasts_held} of ${line.forecasts} held` : "–"),
    },
  ];
}

/** Name, metric and date of a case, what was learnt and what is left to do. */
function Described({ line }: { line: Case }) {
  return (
    <>
      <Link className="link font-semibold" to={`/experiments/${line.key}/verdict`}>
        <bdi>{line.name}</bdi>
      </Link>
      <span className="quiet block text-sm">
        {line.metric} · {[line.area, day(line.decided_at)].filter(Boolean).join(" · ")}
      </span>
      {line.learnt && <span className="block max-w-[46ch] text-sm">{line.learnt}</span>}
      {line.places_open > 0 && (
        <span className="tone-warning block text-sm">{plural(line.places_open, "place")} still to be changed</span>
      )}
    </>
  );
}
