import { Link } from "react-router";
import type { LevelGroup } from "../api/client";
import { useLevels } from "../api/outcome";
import { capital } from "../lib/metrics";
import { useAddressParams } from "../lib/useAddressParams";
import { Failure, Panel, Skeleton } from "../parts/basics";
import { DataTable, type Column } from "../parts/DataTable";

const WIDTH = 170;
const NAMES: Record<string, string> = { metric: "the metric alone", area: "area", month: "month" };

/** What control showed in decided experiments: what a good rate is, by our own tests. */
export function Levels() {
  const [params, change] = useAddressParams();
  const by = params.get("levels") ?? "metric";
  const query = useLevels(by);
  return (
    <Panel
      title="What is a good rate?"
      note="levels of control in decided experiments; each counts once"
      action={
        <label className="flex items-center gap-2 text-sm">
          <span className="quiet">by</span>
          <select
            className="select select-sm w-40"
            aria-label="List levels by"
            value={by}
            onChange={(event) => change({ levels: event.target.value === "metric" ? "" : event.target.value })}
          >
            {[...new Set([...(query.data?.choices ?? []), by])].map((name) => (
              <option key={name} value={name}>
                {NAMES[name] ?? name}
              </option>
            ))}
          </select>
        </label>
      }
    >
      {query.isPending && <Skeleton />}
      {query.isError && <Failure error={query.error} again={() => void query.refetch()} />}
      {query.data?.groups.length === 0 && (
        <p className="quiet">
          {by === "metric"
            ? "No sound decided experiment yet."
            : `No decided experiment has levels by ${NAMES[by] ?? by}: units must carry it when they are first seen.`}
        </p>
      )}
      {query.data && query.data.groups.length > 0 && (
        <DataTable
          label="Levels of control"
          rows={query.data.groups}
          rowKey={(group) => `${group.metric} ${group.group}`}
          columns={columnsOf(NAMES[by] ?? by, by !== "metric")}
        />
      )}
    </Panel>
  );
}

function column(name: string, text: (line: LevelGroup) => string, more: Partial<Column<LevelGroup>> = {}) {
  return { name, value: text, cell: text, ...more } satisfies Column<LevelGroup>;
}

function columnsOf(by: string, grouped: boolean): Column<LevelGroup>[] {
  return [
    column("Metric", (line) => line.metric, { align: "left", hideable: false }),
    ...(grouped ? [column(capital(by), (line) => line.group, { align: "left" })] : []),
    column("Tests", (line) => String(line.tests), { value: (line) => line.tests }),
    column("Middle", (line) => line.median_text),
    column("Half lie in", (line) => (line.tests < 4 ? "–" : `${line.lower_text} to ${line.upper_text}`)),
    column("All lie in", (line) => (line.tests < 2 ? "–" : `${line.least_text} to ${line.most_text}`)),
    column("Each test", (line) => line.levels.map((one) => `${one.name} ${one.level_text}`).join("; "), {
      align: "left",
      // On a phone the figures are enough.
      className: "max-sm:hidden",
      cell: (line) => <Dots group={line} />,
    }),
  ];
}

/** A dot a test, from the smallest level to the largest; each is a link to its evidence and says what was planned. */
function Dots({ group }: { group: LevelGroup }) {
  const values = group.levels.map((one) => one.level);
  const [least, most] = [Math.min(...values), Math.max(...values)];
  const at = (level: number) => (most > least ? 8 + ((WIDTH - 16) * (level - least)) / (most - least) : WIDTH / 2);
  return (
    <span className="relative block h-6" style={{ width: WIDTH }}>
      <span className="absolute inset-x-2 top-3 border-t border-base-300" />
      {group.levels.map((one) => (
        <Link
          data-chart-point
          key={one.key}
          to={`/experiments/${one.key}/evidence`}
          className="absolute top-1.5 size-3 -translate-x-1/2 rounded-full border border-base-100 bg-primary"
          style={{ left: at(one.level) }}
          title={said(one)}
          aria-label={said(one)}
        />
      ))}
    </span>
  );
}

function said(one: LevelGroup["levels"][number]): string {
  const planned = one.planned_text ? `, planned with ${one.planned_text}` : "";
  return `${one.name}: ${one.level_text}${planned}${one.traffic_text ? `; ${one.traffic_text}` : ""}`;
}
