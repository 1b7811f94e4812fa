import type { Live, Stratum } from "../../api/client";
import { useZone } from "../../api/hooks";
import { DailyLines } from "../../charts/onDemand";
import { count, moment, plural, pvalue, rate, weekday } from "../../lib/format";
import { Empty, Panel } from "../../parts/basics";
import { DataTable, type Column } from "../../parts/DataTable";
import { Letter } from "../../parts/Letter";

/** What is wrong, the gravest first, with what to do. */
export function DataQualityIssues({ live }: { live: Live }) {
  if (live.issues.length === 0) return null;
  return (
    <ul className="grid gap-2" aria-label="Data quality issues">
      {live.issues.map((issue) => (
        <li
          key={issue.sentence}
          className={`sheet border-l-4 px-4 py-2 ${issue.tone === "unsound" ? "border-l-error" : "border-l-warning"}`}
        >
          <span className={issue.tone === "unsound" ? "tone-unsound font-semibold" : "font-semibold"}>
            {issue.tone === "unsound" ? "✕ " : ""}
            {issue.sentence}
          </span>
          <span className="quiet block text-sm">{issue.advice}.</span>
        </li>
      ))}
    </ul>
  );
}

/** Of data that are counted where they live: how fresh the figures are, and what the last run did. */
export function LookedAt({ live, unit }: { live: Live; unit: string }) {
  const zone = useZone();
  const run = live.looked_at;
  if (!run) return null;
  return (
    <Panel
      title="Counted where the data live"
      note={`by ${run.engine}, ${run.counted_from}; what comes in later is in no figure yet`}
    >
      <p>
        Data up to <b>{moment(run.until, zone)}</b>: {count(run.units)} {unit} on {plural(run.days, "day")}.{" "}
        <span className="quiet text-sm">
          The last run took {count(Math.ceil(run.seconds))} s;{" "}
          {run.changed === 0 ? "no day changed" : `${plural(run.changed, "day")} changed`}.
        </span>
      </p>
      {run.differences.length > 0 && <Differences run={run} unit={unit} />}
    </Panel>
  );
}

function Differences({ run, unit }: { run: NonNullable<Live["looked_at"]>; unit: string }) {
  return (
    <details className="mt-1">
      <summary className="cursor-pointer text-sm">The days that changed</summary>
      <DataTable
        label={`Days that changed, in ${unit}`}
        rows={run.differences}
        rowKey={(line) => line.day}
        columns={[
          {
            name: "Day",
            align: "left",
            hideable: false,
            value: (line) => line.day,
            copied: [["day", (line) => line.day]],
            cell: (line) => weekday(line.day),
          },
          {
            name: "Before",
            value: (line) => line.before,
            copied: [["before", (line) => line.before]],
            cell: (line) => count(line.before),
          },
          {
            name: "Now",
            value: (line) => line.now,
            copied: [["now", (line) => line.now]],
            cell: (line) => (line.now === line.before ? "the same; what they did changed" : count(line.now)),
          },
        ]}
      />
    </details>
  );
}

/** Of variants that are pages of their own: who was sent, and who arrived. */
export function WhoArrived({ live }: { live: Live }) {
  if (live.passages.length === 0) return null;
  return (
    <Panel title="Who arrived" note="of those assigned more than a minute ago; all of them count in their variant">
      <DataTable
        label="Who arrived"
        rows={live.passages}
        rowKey={(line) => line.letter}
        sortable={false}
        columns={[
          {
            name: "Page",
            align: "left",
            hideable: false,
            value: (line) => line.letter,
            copied: [
              ["variant", (line) => line.letter],
              ["address", (line) => line.address],
            ],
            cell: (line) => (
              <span className="flex items-baseline gap-2">
                <Letter letter={line.letter} /> <span className="break-all">{line.address}</span>
              </span>
            ),
          },
          {
            name: "Assigned",
            value: (line) => line.assigned,
            copied: [["assigned", (line) => line.assigned]],
            cell: (line) => count(line.assigned),
          },
          {
            name: "Arrived",
            value: (line) => line.reached,
            copied: [["arrived", (line) => line.reached]],
            cell: (line) => count(line.reached),
          },
          {
            name: "Lost",
            value: (line) => line.assigned - line.reached,
            copied: [["lost", (line) => line.assigned - line.reached]],
            cell: (line) => (line.assigned ? rate((line.assigned - line.reached) / line.assigned) : "–"),
          },
        ]}
      />
    </Panel>
  );
}

/** Changes on the page, and for how many they could not be made. */
export function ChangesMade({ live }: { live: Live }) {
  if (live.page_changes.length === 0) return null;
  return (
    <Panel title="Changes on the page" note="an element that is not there, or more than once, is not changed">
      <DataTable
        label="Changes on the page"
        rows={live.page_changes}
        rowKey={(line) => live.page_changes.indexOf(line)}
        sortable={false}
        columns={[
          {
            name: "Change",
            align: "left",
            hideable: false,
            value: (line) => line.words,
            copied: [
              ["variant", (line) => line.letter],
              ["change", (line) => line.words],
            ],
            cell: (line) => (
              <span className="flex items-baseline gap-2">
                <Letter letter={line.letter} /> {line.words}
              </span>
            ),
          },
          {
            name: "Units",
            value: (line) => line.units,
            copied: [["units", (line) => line.units]],
            cell: (line) => count(line.units),
          },
          {
            name: "Not made",
            value: (line) => line.failed,
            copied: [["not made", (line) => line.failed]],
            cell: (line) => (
              <>
                {count(line.failed)} {line.units > 0 && <span className="quiet">{rate(line.failed / line.units)}</span>}
              </>
            ),
          },
        ]}
      />
    </Panel>
  );
}

/** The latest exposures and events, updated every few seconds. */
export function Latest({ live, running, fold }: { live: Live; running: boolean; fold: boolean }) {
  const zone = useZone();
  return (
    <Panel
      fold={fold ? "latest" : undefined}
      title="Latest"
      note={running ? "live, updated every three seconds" : "as last seen"}
    >
      {live.latest.length === 0 ? (
        <p className="quiet">
          Nothing has come in yet. Walk through the site yourself, with a forced variant if you like; you will appear
          here.
        </p>
      ) : (
        <DataTable
          label="Latest exposures and events"
          rows={live.latest}
          rowKey={(line) => live.latest.indexOf(line)}
          maxHeight="18rem"
          columns={[
            {
              name: "At",
              align: "left",
              className: "whitespace-nowrap",
              value: (line) => line.at,
              copied: [["at", (line) => line.at]],
              cell: (line) => moment(line.at, zone),
            },
            {
              name: "Unit",
              align: "left",
              className: "font-mono whitespace-nowrap",
              value: (line) => line.unit,
              copied: [["unit", (line) => line.unit]],
              cell: (line) => line.unit,
            },
            {
              name: "Event",
              align: "left",
              value: (line) => line.name,
              copied: [["event", (line) => line.name]],
              cell: (line) => (
                <>
                  <span className={line.name === "exposure" ? "" : "font-semibold"}>{line.name}</span>
                  {line.forced && <span className="quiet"> forced, does not count</span>}
                  {!line.counted && <span className="quiet"> never counted</span>}
                  {line.held && <span className="tone-warning"> held: dated in the future</span>}
                </>
              ),
            },
            {
              name: "Variant",
              align: "left",
              value: (line) => line.letter,
              copied: [["variant", (line) => line.letter]],
              cell: (line) => line.letter && <Letter letter={line.letter} />,
            },
            {
              name: "Properties",
              align: "left",
              className: "quiet max-w-64 truncate",
              value: (line) => line.properties,
              copied: [["properties", (line) => line.properties]],
              cell: (line) => <span title={line.properties}>{line.properties}</span>,
            },
          ]}
        />
      )}
    </Panel>
  );
}

export function Hours({ live, unit }: { live: Live; unit: string }) {
  const columns = live.letters.map((_, arm) => live.hours.map((hour) => hour.units[arm] ?? 0));
  return (
    <Panel fold="hours" title="Arrivals by hour" note="the last two days">
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

/** Splits within segments, the largest deviation first: where does a bad split come from? */
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
      fold="split-by-segment"
      title="Split by segment"
      note="largest deviation first"
      line={alarms(live.segments, "segment")}
    >
      <Strata
        live={live}
        strata={live.segments}
        name={(stratum) => stratum.name.replaceAll("=", ": ")}
        title="Segment"
      />
    </Panel>
  );
}

/** How many of those who were exposed are no units, and how many units are people with several ids. */
export function WhoIsCounted({ live, unit }: { live: Live; unit: string }) {
  const { who } = live;
  const units = live.units.reduce((sum, one) => sum + one, 0);
  const share = (part: number) => (units ? ` (${rate(part / units, 1)})` : "");
  const lines: [string, string][] = [
    ["Never counted", `${count(who.never_counted)}${who.never_counted_in_words ? "" : ": nobody is named"}`],
    ["With another id of the same person", `${count(who.several)}${share(who.several)}`],
    ["Of these, in two variants", `${count(who.across)}${share(who.across)}`],
  ];
  if (who.identity === "person") lines.splice(1, 0, ["Counted with another id", count(who.with_another)]);
  return (
    <Panel
      fold="counted"
      title="Who is counted"
      note={who.identity === "person" ? `people, as one of the ${unit} each` : "every id by itself"}
    >
      <dl>
        {lines.map(([label, value]) => (
          <div key={label} className="flex justify-between gap-4 border-b border-base-300 py-1 last:border-b-0">
            <dt className="text-sm">{label}</dt>
            <dd className="text-sm font-semibold whitespace-nowrap tabular-nums">{value}</dd>
          </div>
        ))}
      </dl>
      {who.never_counted_in_words && <p className="quiet mt-1 text-sm">Never: {who.never_counted_in_words}.</p>}
    </Panel>
  );
}

export function SplitByDay({ live }: { live: Live }) {
  return (
    <Panel fold="split-by-day" title="Split by day" note="one alarm for all" line={alarms(live.days, "day")}>
      <Strata live={live} strata={[...live.days].reverse()} name={(stratum) => weekday(stratum.name)} title="Day" />
    </Panel>
  );
}

/** Whether any part of the split deviates. */
function alarms(strata: Stratum[], part: string) {
  const deviating = strata.filter((stratum) => stratum.alarm).length;
  if (deviating === 0) return `none of ${plural(strata.length, part)} deviates`;
  return <span className="tone-unsound">{`✕ ${deviating} of ${plural(strata.length, part)} deviate`}</span>;
}

interface StrataProps {
  live: Live;
  strata: Stratum[];
  name: (stratum: Stratum) => string;
  title: string;
}

function Strata({ live, strata, name, title }: StrataProps) {
  const shareOfLast = (stratum: Stratum) => {
    const total = stratum.units.reduce((sum, units) => sum + units, 0);
    return total ? (stratum.units.at(-1) ?? 0) / total : null;
  };
  return (
    <div className="text-sm">
      <DataTable
        label={`Split by ${title.toLowerCase()}`}
        rows={strata}
        rowKey={(stratum) => stratum.name}
        rowClass={(stratum) => (stratum.alarm ? "tone-unsound font-semibold" : "")}
        maxHeight="18rem"
        columns={[
          {
            name: title,
            align: "left",
            hideable: false,
            value: (stratum) => stratum.name,
            copied: [[title.toLowerCase(), (stratum) => stratum.name]],
            cell: (stratum) => `${stratum.alarm ? "✕ " : ""}${name(stratum)}`,
          },
          ...live.letters.map((letter, arm): Column<Stratum> => ({
            name: letter,
            value: (stratum) => stratum.units[arm],
            cell: (stratum) => count(stratum.units[arm] ?? 0),
          })),
          {
            name: `Share of ${live.letters.at(-1)}`,
            value: shareOfLast,
            copied: [],
            cell: (stratum) => rate(shareOfLast(stratum), 1),
          },
          { name: "p", value: (stratum) => stratum.pvalue, cell: (stratum) => pvalue(stratum.pvalue) },
        ]}
      />
    </div>
  );
}

/** The events that the metrics count, and what else came in within a day. */
export function Intake({ live }: { live: Live }) {
  const zone = useZone();
  const { last_day: seen } = live;
  const facts: [string, string][] = [
    ["Events received, whole workspace", count(seen.events)],
    ["Sent again, counted once", count(seen.duplicates)],
    ["More than a day late", count(seen.late)],
    ["Held: dated in the future", count(seen.held)],
    ["Events of units that were never exposed", count(seen.unexposed)],
    ["Units seen in two variants, in all", count(live.mixed)],
  ];
  return (
    <Panel
      fold="intake"
      title="Events"
      note="the last 24 hours"
      line={`${count(seen.events)} in 24 hours${seen.held ? `, ${count(seen.held)} held` : ""}`}
    >
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
              {event.last_at ? `${plural(event.times, "time")}, last ${moment(event.last_at, zone)}` : "never seen"}
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
