import { Link, useSearchParams } from "react-router";
import type { Casebook } from "../api/client";
import { useCasebook } from "../api/outcome";
import { IntervalStrip, StripAxis } from "../charts/IntervalStrip";
import { verdictNamed, vocabulary } from "../api/vocabulary";
import { sharedAxis, type Axis } from "../lib/axis";
import { bounds, day, plural, signed } from "../lib/format";
import { tableText } from "../lib/tableText";
import { useSettled } from "../lib/useSettled";
import { useWidth } from "../lib/useWidth";
import { TONE_CLASS } from "../lib/words";
import { Empty, Failure, Panel, Skeleton } from "../parts/basics";
import { CopyTable } from "../parts/CopyTable";

type Case = Casebook["cases"][number];
const NEEDS = 900;

/** Decided experiments: what was tried, what came of it, how often we win, and how good our guesses are. */
export function CasebookPage() {
  const [params, setParams] = useSearchParams();
  const typed = params.get("find") ?? "";
  const search = useSettled(typed, 250);
  const area = params.get("area") ?? "";
  const verdict = params.get("verdict") ?? "";
  const found = useCasebook({ search, area, verdict });
  const choose = (name: string, value: string) =>
    setParams(
      (before) => {
        if (value) before.set(name, value);
        else before.delete(name);
        return before;
      },
      { replace: true },
    );
  return (
    <main className="mx-auto max-w-[1200px] px-6 pt-4 pb-12 max-sm:px-3">
      <h1 className="mb-1 text-[27px]">Casebook</h1>
      {found.isPending && <Skeleton rows={6} />}
      {found.isError && <Failure error={found.error} again={() => void found.refetch()} />}
      {found.data && found.data.record.decided === 0 && (
        <Empty title="Nothing is decided yet">
          Every experiment that is decided comes here, with what was believed beforehand and what was learnt.
        </Empty>
      )}
      {found.data && found.data.record.decided > 0 && (
        <>
          <TrackRecord record={found.data.record} />
          <div className="my-3 flex flex-wrap items-center gap-2">
            <input
              type="search"
              className="input input-sm w-72"
              aria-label="Find in the casebook"
              placeholder="What was tried, learnt or believed"
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
              {found.data.areas.map((name) => (
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
              {plural(found.data.count, "experiment")}
            </span>
            <span className="ml-auto">
              <CopyTable text={asText(found.data.cases)} />
            </span>
          </div>
          <Cases cases={found.data.cases} />
        </>
      )}
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
          The share of wins is of all sound experiments, with Wilson’s interval. For the lift after luck, every lift is
          taken on the log scale with the error its interval gives, all are put together by the random-effects method of
          DerSimonian &amp; Laird (1986), and each is drawn towards their mean by as much as chance spreads it; the
          winners’ mean is taken of those (Efron 2011). A forecast counts as held when the lift seen lies in the range
          its author was 80% sure of.
        </p>
      </details>
    </section>
  );
}

function Cases({ cases }: { cases: Case[] }) {
  const [holder, width] = useWidth(NEEDS);
  const strip = width < NEEDS ? 120 : 220;
  const axis = sharedAxis(
    cases.map((line) => line.lift),
    0.03,
  );
  if (cases.length === 0)
    return <Empty title="Nothing fits">Search for fewer words, or for all areas and verdicts.</Empty>;
  return (
    <Panel title="Decided" note="the latest first; all on one axis">
      <div ref={holder} className="overflow-x-auto" tabIndex={0} aria-label="Decided experiments">
        <table className="w-full">
          <thead className="quiet text-xs">
            <tr className="border-b border-base-300 text-left">
              <th className="py-1 font-normal">Experiment</th>
              <th className="pl-3 font-normal">Verdict</th>
              <th className="pl-3 font-normal max-sm:hidden" style={{ width: strip }}>
                <StripAxis axis={axis} width={strip} />
                <span className="sr-only">Lift, drawn</span>
              </th>
              <th className="pl-3 text-right font-normal">Lift</th>
              <th className="pl-3 text-right font-normal max-sm:hidden">After luck</th>
              <th className="pl-3 text-right font-normal max-lg:hidden">Forecasts</th>
            </tr>
          </thead>
          <tbody>
            {cases.map((line) => (
              <CaseRow key={line.key} line={line} axis={axis} strip={strip} />
            ))}
          </tbody>
        </table>
      </div>
    </Panel>
  );
}

function CaseRow({ line, axis, strip }: { line: Case; axis: Axis; strip: number }) {
  const look = verdictNamed(line.verdict);
  return (
    <tr className="border-b border-base-300 align-top last:border-b-0">
      <td className="py-2">
        <Link className="link font-semibold" to={`/experiments/${line.key}/verdict`}>
          {line.name}
        </Link>
        <span className="quiet block text-sm">
          {line.metric} · {[line.area, day(line.decided_at)].filter(Boolean).join(" · ")}
        </span>
        {line.learnt && <span className="block max-w-[46ch] text-sm">{line.learnt}</span>}
        {line.places_open > 0 && (
          <span className="tone-warning block text-sm">{plural(line.places_open, "place")} still to be changed</span>
        )}
      </td>
      <td className={`py-2 pl-3 ${TONE_CLASS[look.tone]}`}>
        {look.mark} {look.title}
      </td>
      <td className="py-2 pl-3 max-sm:hidden">
        {line.lift && (
          <IntervalStrip
            lift={line.lift}
            tone={line.tone}
            worthwhile={line.worthwhile_lift}
            axis={axis}
            width={strip}
            sentence={`${line.name}: lift ${line.lift.estimate_text} (${bounds(line.lift)})`}
          />
        )}
      </td>
      <td className="py-2 pl-3 text-right whitespace-nowrap">
        {line.lift ? (
          <>
            {line.lift.estimate_text}
            <span className="quiet block text-xs">{bounds(line.lift)}</span>
          </>
        ) : (
          "–"
        )}
      </td>
      <td className="py-2 pl-3 text-right whitespace-nowrap max-sm:hidden">
        {line.partially_pooled ? signed(line.partially_pooled.estimate) : "–"}
      </td>
      <td className="py-2 pl-3 text-right whitespace-nowrap max-lg:hidden">
        {line.forecasts ? `${line.forecasts_held} of ${line.forecasts} held` : "–"}
      </td>
    </tr>
  );
}

function asText(cases: Case[]): string {
  return tableText(
    ["experiment", "area", "metric", "decided", "verdict", "decision", "lift", "low", "high", "after luck", "learnt"],
    cases.map((line) =>
      [
        line.name,
        line.area,
        line.metric,
        line.decided_at.slice(0, 10),
        line.verdict_name,
        line.decision,
        line.lift?.estimate,
        line.lift?.low,
        line.lift?.high,
        line.partially_pooled?.estimate,
        line.learnt,
      ].map((cell) => cell ?? ""),
    ),
  );
}
