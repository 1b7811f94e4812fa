import { useEffect, useState } from "react";
import { Link } from "react-router";
import type { Lake, LakeRun } from "../api/client";
import { useSession } from "../api/hooks";
import { useLakeActions, useLakes } from "../api/running";
import { useStale } from "../api/keys";
import { count, moment, plural } from "../lib/format";
import { Failure, FormError, Panel, Skeleton } from "../parts/basics";

/** Where events live that are counted there: how often, and what the last runs came to. */
export function Lakes() {
  const { data: session } = useSession();
  if (!session?.account?.may_edit) return null;
  return (
    <Panel title="Lakes" note="where your own systems keep events; they are counted there, and only sums come back">
      <List zone={session.time_zone} />
    </Panel>
  );
}

function List({ zone }: { zone: string }) {
  const lakes = useLakes();
  const stale = useStale();
  const running = lakes.data?.lakes.some((lake) => lake.runs[0]?.state === "running") ?? false;
  useEffect(() => {
    // What it has counted by now, and at its end, is in figures on other pages.
    return running ? () => stale("lakes") : undefined;
  }, [running, stale]);
  if (lakes.isError) return <Failure error={lakes.error} again={() => void lakes.refetch()} />;
  if (!lakes.data) return <Skeleton rows={2} />;
  if (lakes.data.lakes.length === 0)
    return (
      <p className="text-sm">
        None yet. Whoever runs this server describes one in a file: <code>{lakes.data.folder}/name.toml</code> says
        where its Parquet files or tables are and how their columns are called (docs/reduction.md). It shows here by
        itself.
      </p>
    );
  return (
    <ul className="grid gap-3">
      {lakes.data.lakes.map((lake) => (
        <One key={lake.name} lake={lake} zone={zone} />
      ))}
    </ul>
  );
}

function One({ lake, zone }: { lake: Lake; zone: string }) {
  const { begin, schedule } = useLakeActions(lake.name);
  const last = lake.runs[0];
  const running = last?.state === "running";
  return (
    <li className="border-b border-base-300 pb-3 last:border-b-0 last:pb-0">
      <div className="flex flex-wrap items-end gap-x-4 gap-y-1">
        <div className="min-w-0 grow">
          <h3 className="font-sans text-base font-semibold">{lake.name}</h3>
          <p className="quiet text-sm break-all">
            {lake.problem ? "" : `${lake.places.join(" and ")} · ${ENGINES[lake.engine] ?? lake.engine}`}
          </p>
        </div>
        <Schedule lake={lake} zone={zone} save={schedule.mutate} busy={schedule.isPending} />
        <button
          type="button"
          className="btn btn-sm"
          disabled={running || begin.isPending || lake.problem !== ""}
          onClick={() => begin.mutate()}
        >
          {running ? "Counting…" : "Count now"}
        </button>
      </div>
      {lake.problem && (
        <p role="alert" className="mt-1 text-sm text-error">
          Its file cannot be read: {lake.problem}
        </p>
      )}
      <FormError error={begin.error ?? schedule.error} />
      {last ? <Run run={last} zone={zone} /> : <p className="quiet mt-1 text-sm">Not counted yet.</p>}
      {lake.runs.length > 1 && (
        <details className="mt-1">
          <summary className="cursor-pointer text-sm">Earlier runs</summary>
          {lake.runs.slice(1).map((run) => (
            <Run key={run.id} run={run} zone={zone} />
          ))}
        </details>
      )}
    </li>
  );
}

const ENGINES: Record<string, string> = { duckdb: "DuckDB", spark: "Spark" };
const EVERY = [
  ["never", "by hand"],
  ["hour", "each hour"],
  ["day", "each day"],
] as const;

function Schedule({
  lake,
  zone,
  save,
  busy,
}: {
  lake: Lake;
  zone: string;
  save: (schedule: { every: Lake["schedule"]["every"]; hour: number }) => void;
  busy: boolean;
}) {
  const { every, hour, by } = lake.schedule;
  return (
    <span className="flex items-end gap-2">
      <label>
        <span className="quiet block text-sm">Counted{by && every !== "never" ? `, for ${by}` : ""}</span>
        <select
          aria-label={`How often ${lake.name} is counted`}
          className="select select-sm w-28"
          value={every}
          disabled={busy}
          onChange={(event) => save({ every: event.target.value as typeof every, hour })}
        >
          {EVERY.map(([value, words]) => (
            <option key={value} value={value}>
              {words}
            </option>
          ))}
        </select>
      </label>
      {every === "day" && (
        <label>
          <span className="quiet block text-sm">from, {zone}</span>
          <select
            aria-label={`From when on ${lake.name} is counted each day`}
            className="select select-sm w-28"
            value={hour}
            disabled={busy}
            onChange={(event) => save({ every, hour: Number(event.target.value) })}
          >
            {Array.from({ length: 24 }, (_, one) => (
              <option key={one} value={one}>
                {String(one).padStart(2, "0")}:00
              </option>
            ))}
          </select>
        </label>
      )}
    </span>
  );
}

function Run({ run, zone }: { run: LakeRun; zone: string }) {
  const [all, setAll] = useState(false);
  const shown = run.counted.filter((one) => all || one.days > 0 || one.problem);
  const without = run.counted.length - shown.length;
  return (
    <div className="mt-1 text-sm" {...(run.state === "running" && { role: "status" })}>
      <p>
        {run.state === "running" && <span className="loading loading-spinner loading-xs mr-2" aria-hidden />}
        {moment(run.started_at, zone)}, {run.planned ? "by the schedule" : `by ${run.by}`}
        {run.rows !== null && `: ${count(run.rows)} rows`}
        {run.state === "running" && ` · ${run.doing}`}
        {run.state === "done" && ` · ${took(run)}`}
      </p>
      {run.problem && <p className="text-error">{run.problem}.</p>}
      <ul className="ml-4">
        {shown.map((one) => (
          <li key={one.experiment}>
            <Link className="link" to={`/experiments/${one.experiment}/watch`}>
              {one.experiment}
            </Link>
            : <Counted one={one} />
          </li>
        ))}
      </ul>
      {without > 0 && (
        <button type="button" className="link quiet ml-4 min-h-6" onClick={() => setAll(true)}>
          {plural(without, "experiment")} of which nothing came in
        </button>
      )}
    </div>
  );
}

function Counted({ one }: { one: LakeRun["counted"][number] }) {
  if (one.problem) return <span className="tone-unsound">{one.problem}</span>;
  if (one.days === 0) return <span className="quiet">nothing came in</span>;
  return (
    <>
      {plural(one.days, "day")} with {count(one.units)} units counted,{" "}
      {one.changed === 0 ? "none of them changed" : `${count(one.changed)} changed`}
    </>
  );
}

function took(run: LakeRun): string {
  const seconds = (new Date(run.ended_at ?? run.started_at).getTime() - new Date(run.started_at).getTime()) / 1000;
  return `${count(Math.max(1, Math.ceil(seconds)))} s`;
}
