import { Link, useNavigate, useSearchParams } from "react-router";
import type { Metric } from "../api/client";
import { kindNamed } from "../api/vocabulary";
import { useMetrics, useSession } from "../api/hooks";
import { plural } from "../lib/format";
import { Empty, Failure, Skeleton } from "../parts/basics";
import { useTitle } from "../parts/title";

/** Every metric, with what it counts and who uses it. */
export function LibraryPage() {
  useTitle("Metrics");
  const [params, setParams] = useSearchParams();
  const navigate = useNavigate();
  const { data: session } = useSession();
  const search = params.get("search") ?? "";
  const metrics = useMetrics(search);
  const mayEdit = session?.account?.may_edit ?? false;
  return (
    <main className="mx-auto max-w-[1100px] px-6 pt-5 pb-12 max-sm:px-3">
      <div className="mb-3 flex flex-wrap items-end gap-4">
        <h1 className="grow text-[27px]">
          {metrics.data ? plural(metrics.data.count, "metric") : "Metrics"}
          {search && ` with “${search}”`}
        </h1>
        <input
          type="search"
          className="input input-sm w-64"
          placeholder="By name, event or description"
          aria-label="Find a metric"
          defaultValue={search}
          onChange={(event) => setParams(event.target.value ? { search: event.target.value } : {}, { replace: true })}
        />
        {mayEdit && (
          <button className="btn btn-primary btn-sm" onClick={() => void navigate("/metrics/new")}>
            New metric
          </button>
        )}
      </div>
      {metrics.isPending && <Skeleton rows={6} />}
      {metrics.isError && <Failure error={metrics.error} again={() => void metrics.refetch()} />}
      {metrics.data?.items.length === 0 && (
        <Empty title={search ? "No metric has this" : "No metrics yet"}>
          A metric counts events under conditions; experiments pick theirs here.
        </Empty>
      )}
      {metrics.data && metrics.data.items.length > 0 && (
        <ul className="sheet divide-y divide-base-300">
          {metrics.data.items.map((metric) => (
            <Line key={metric.key} metric={metric} />
          ))}
        </ul>
      )}
    </main>
  );
}

function Line({ metric }: { metric: Metric }) {
  const running = metric.uses.filter((use) => use.state === "running").length;
  return (
    <li>
      <Link
        to={`/metrics/${metric.key}`}
        className="grid grid-cols-[220px_96px_minmax(0,1fr)_150px] items-baseline gap-4 px-4 py-2 hover:bg-base-200 max-md:grid-cols-1 max-md:gap-0"
      >
        <span className="font-semibold">
          <bdi>{metric.name}</bdi>
        </span>
        <span className="quiet text-sm">{kindNamed(metric.definition.kind).title}</span>
        <span className="min-w-0 text-sm">{metric.words}</span>
        <span className="quiet text-right text-sm max-md:text-left">
          {metric.uses.length ? `used by ${metric.uses.length}` : "not used yet"}
          {running > 0 && `, ${running} running`}
        </span>
      </Link>
    </li>
  );
}
