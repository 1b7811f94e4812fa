import type { Live, Stratum } from "../../api/client";
import { useSession } from "../../api/hooks";
import { DailyLines } from "../../charts/DailyLines";
import { count, moment, plural, pvalue, rate, weekday } from "../../lib/format";
import { tableText } from "../../lib/tableText";
import { CopyTable } from "../../parts/CopyTable";
import { Empty, Panel } from "../../parts/basics";
import { Letter } from "../../parts/Letter";

/** What is wrong, the gravest first, with what to do. */
export function Faults({ live }: { live: Live }) {
  if (live.issues.length === 0) return null;
  return (
    <ul className="grid gap-2" aria-label="Faults">
      {live.issues.map((fault) => (
        <li
          key={fault.sentence}
          className={`sheet border-l-4 px-4 py-2 ${fault.tone === "unsound" ? "border-l-error" : "border-l-warning"}`}
        >
          <span className={fault.tone === "unsound" ? "tone-unsound font-semibold" : "font-semibold"}>
            {fault.tone === "unsound" ? "✕ " : ""}
            {fault.sentence}
          </span>
          <span className="quiet block text-sm">{fault.advice}.</span>
        </li>
      ))}
    </ul>
  );
}

/** The latest exposures and events, anew every few seconds. */
export function Latest({ live, running }: { live: Live; running: boolean }) {
  const { data: session } = useSession();
  const zone = session?.time_zone ?? "UTC";
  return (
    <Panel
      title="Latest"
      note={running ? "live, anew every three seconds" : "as last seen"}
      action={
        <CopyTable
          text={tableText(
            ["at", "unit", "event", "variant", "properties"],
            live.latest.map((line) => [line.at, line.unit, line.name, line.letter, line.properties]),
          )}
        />
      }
    >
      {live.latest.length === 0 ? (
        <p className="quiet">
          Nothing has come in yet. Walk through the site yourself, with a forced variant if you like; you will appear
          here.
        </p>
      ) : (
        <div className="max-h-72 overflow-auto" tabIndex={0} role="region" aria-label="Latest exposures and events">
          <table className="table table-xs">
            <thead>
              <tr>
                <th>At</th>
                <th>Unit</th>
                <th>What</th>
                <th>Variant</th>
                <th>Properties</th>
              </tr>
            </thead>
            <tbody>
              {live.latest.map((line, index) => (
                <tr key={`${line.at}-${line.unit}-${index}`}>
                  <td className="whitespace-nowrap">{moment(line.at, zone)}</td>
                  <td className="font-mono whitespace-nowrap">{line.unit}</td>
                  <td className={line.name === "exposure" ? "" : "font-semibold"}>
                    {line.name}
                    {line.forced && <span className="quiet"> forced, does not count</span>}
                    {line.held && <span className="tone-warning"> held: lies in the future</span>}
                  </td>
                  <td>{line.letter && <Letter letter={line.letter} />}</td>
                  <td className="quiet max-w-64 truncate" title={line.properties}>
                    {line.properties}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </Panel>
  );
}

export function Hours({ live, unit }: { live: Live; unit: string }) {
  const columns = live.letters.map((_, arm) => live.hours.map((hour) => hour.units[arm] ?? 0));
  return (
    <Panel title="Arrivals by hour" note="the last two days">
      <DailyLines
        days={live.hours.map((hour) => hour.at)}
        values={columns}
        format={count}
        label={`${unit} of each variant by hour`}
        height={180}
        hours
      />
    </Panel>
  );
}

/** Splits within segments, the most telling first: where does a bad split come from? */
export function Segments({ live, follows = false }: { live: Live; follows?: boolean }) {
  if (follows)
    return (
      <Empty title="No plan by segment">
        Shares follow the evidence and change with every epoch, so a segment has no split of its own to be held against.
        Every epoch is checked against its shares.
      </Empty>
    );
  if (live.segments.length === 0)
    return (
      <Empty title="No segments are kept">
        Choose under Connections which properties visitors are counted by; a bad split can then be traced.
      </Empty>
    );
  return (
    <Panel
      title="Split by segment"
      note="most telling first"
      action={<CopyTable text={strataText("segment", live, live.segments)} />}
    >
      <Strata
        live={live}
        strata={live.segments.slice(0, 12)}
        name={(stratum) => stratum.name.replaceAll("=", ": ")}
        title="Segment"
      />
    </Panel>
  );
}

export function SplitByDay({ live }: { live: Live }) {
  return (
    <Panel
      title="Split by day"
      note="one alarm for all"
      action={<CopyTable text={strataText("day", live, live.days)} />}
    >
      <div className="max-h-72 overflow-auto" tabIndex={0} role="region" aria-label="Split by day">
        <Strata live={live} strata={[...live.days].reverse()} name={(stratum) => weekday(stratum.name)} title="Day" />
      </div>
    </Panel>
  );
}

function strataText(what: string, live: Live, strata: Stratum[]): string {
  return tableText(
    [what, ...live.letters, "p"],
    strata.map((stratum) => [stratum.name, ...stratum.units, stratum.pvalue]),
  );
}

interface StrataProps {
  live: Live;
  strata: Stratum[];
  name: (stratum: Stratum) => string;
  title: string;
}

function Strata({ live, strata, name, title }: StrataProps) {
  return (
    <table className="w-full text-right text-sm">
      <thead className="quiet text-xs">
        <tr>
          <th className="py-1 text-left font-normal">{title}</th>
          {live.letters.map((letter) => (
            <th key={letter} className="pl-2 font-normal">
              {letter}
            </th>
          ))}
          <th className="pl-2 font-normal">Share of {live.letters.at(-1)}</th>
          <th className="pl-2 font-normal">p</th>
        </tr>
      </thead>
      <tbody>
        {strata.map((stratum) => {
          const total = stratum.units.reduce((sum, units) => sum + units, 0);
          return (
            <tr
              key={stratum.name}
              className={`border-t border-base-300 ${stratum.alarm ? "tone-unsound font-semibold" : ""}`}
            >
              <td className="py-1 text-left">
                {stratum.alarm ? "✕ " : ""}
                {name(stratum)}
              </td>
              {stratum.units.map((units, arm) => (
                <td key={arm} className="pl-2">
                  {count(units)}
                </td>
              ))}
              <td className="pl-2">{total ? rate((stratum.units.at(-1) ?? 0) / total, 1) : "–"}</td>
              <td className="pl-2">{pvalue(stratum.pvalue)}</td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

/** The events that the metrics count, and what else came in within a day. */
export function Intake({ live }: { live: Live }) {
  const { data: session } = useSession();
  const { last_day: seen } = live;
  const facts: [string, string][] = [
    ["Events taken in, whole workspace", count(seen.events)],
    ["Sent again, counted once", count(seen.duplicates)],
    ["More than a day late", count(seen.late)],
    ["Held: claim to lie in the future", count(seen.held)],
    ["Of units never exposed", count(seen.unexposed)],
    ["Units seen in two variants, in all", count(live.mixed)],
  ];
  return (
    <Panel title="Events" note="the last 24 hours">
      <dl className="text-sm">
        {facts.map(([label, value]) => (
          <div key={label} className="flex justify-between border-b border-base-300 py-1">
            <dt>{label}</dt>
            <dd className="font-semibold">{value}</dd>
          </div>
        ))}
      </dl>
      <h3 className="mt-3 mb-1 text-sm font-semibold">What the metrics count</h3>
      <ul className="text-sm">
        {live.events.map((event) => (
          <li key={event.name} className="flex justify-between gap-3 border-b border-base-300 py-1">
            <span>
              <span className="font-mono">{event.name}</span> <span className="quiet">{event.metrics.join(", ")}</span>
            </span>
            <span className="text-right whitespace-nowrap">
              {event.last_at
                ? `${plural(event.times, "time")}, last ${moment(event.last_at, session?.time_zone ?? "UTC")}`
                : "never seen"}
            </span>
          </li>
        ))}
      </ul>
      {seen.unknown.length > 0 && (
        <p className="quiet mt-2 text-sm">
          Kept, but counted by no running metric: <span className="font-mono">{seen.unknown.join(", ")}</span>
        </p>
      )}
    </Panel>
  );
}
