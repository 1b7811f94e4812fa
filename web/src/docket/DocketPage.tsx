import type { Docket, DocketRow } from "../api/client";
import { useDocket, useSession } from "../api/hooks";
import { StripAxis } from "../charts/IntervalStrip";
import { sharedAxis } from "../lib/axis";
import { useAddressParams } from "../lib/useAddressParams";
import { Empty, Failure, Skeleton } from "../parts/basics";
import { Row, STRIP_WIDTH } from "./Row";
import { useRowKeys } from "./useRowKeys";
import { useTitle } from "../parts/title";

const GROUPS: { name: DocketRow["group"]; title: string; note: string }[] = [
  {
    name: "ready",
    title: "Ready for your call",
    note: "The rule is satisfied, or something stops it from ever being satisfied.",
  },
  { name: "collecting", title: "Collecting", note: "Nothing to decide yet." },
  { name: "preparation", title: "In preparation", note: "" },
  { name: "tailored", title: "Given without a test", note: "" },
  { name: "decided", title: "Decided lately", note: "" },
  { name: "archived", title: "Archive", note: "" },
];

export function DocketPage() {
  useTitle("Docket");
  const [params, change] = useAddressParams();
  const filter = {
    search: params.get("search") ?? "",
    area: params.get("area") ?? "",
    mine: params.get("mine") === "yes",
    archived: params.get("archive") === "yes",
  };
  const docket = useDocket(filter);
  const set = (name: string, value: string) => change({ [name]: value });
  if (docket.isPending)
    return (
      <Page headline="…">
        <Skeleton rows={8} />
      </Page>
    );
  if (docket.isError)
    return (
      <Page headline="The docket cannot be read">
        <Failure error={docket.error} again={() => void docket.refetch()} />
      </Page>
    );
  const filtered = filter.search !== "" || filter.area !== "" || filter.mine;
  return (
    <Page
      headline={filter.archived ? "The archive" : docket.data.headline}
      filters={<Filters filter={filter} areas={docket.data.areas} set={set} />}
    >
      {docket.data.rows.length === 0 ? (
        <Nothing filtered={filtered} archived={filter.archived} />
      ) : (
        <Groups docket={docket.data} />
      )}
      {docket.data.behind > 0 && (
        <p className="quiet mt-4 text-sm" role="status">
          {docket.data.behind === 1 ? "One row waits" : `${docket.data.behind} rows wait`} to be read again, and{" "}
          {docket.data.behind === 1 ? "shows" : "show"} what was there a few minutes ago.
        </p>
      )}
    </Page>
  );
}

function Page({
  headline,
  filters,
  children,
}: {
  headline: string;
  filters?: React.ReactNode;
  children: React.ReactNode;
}) {
  return (
    <main className="mx-auto max-w-[1400px] px-6 pt-3 pb-10 max-sm:px-3">
      <div className="mb-1 flex flex-wrap items-end justify-between gap-x-6 gap-y-1">
        <h1 className="text-[27px]">{headline}</h1>
        {filters}
      </div>
      {children}
    </main>
  );
}

interface FiltersProps {
  filter: { search: string; area: string; mine: boolean; archived: boolean };
  areas: string[];
  set: (name: string, value: string) => void;
}

function Filters({ filter, areas, set }: FiltersProps) {
  return (
    <div className="flex items-center gap-3 text-sm">
      <label className="flex items-center gap-1.5">
        <input
          type="checkbox"
          className="checkbox checkbox-xs"
          checked={filter.mine}
          onChange={(event) => set("mine", event.target.checked ? "yes" : "")}
        />
        Mine only
      </label>
      <label className="flex items-center gap-1.5">
        <input
          type="checkbox"
          className="checkbox checkbox-xs"
          checked={filter.archived}
          onChange={(event) => set("archive", event.target.checked ? "yes" : "")}
        />
        Archive
      </label>
      <select
        className="select select-xs w-auto"
        aria-label="Area"
        value={filter.area}
        onChange={(event) => set("area", event.target.value)}
      >
        <option value="">All areas</option>
        {areas.map((area) => (
          <option key={area}>{area}</option>
        ))}
      </select>
    </div>
  );
}

function Groups({ docket }: { docket: Docket }) {
  const worthwhile = Math.max(...docket.rows.map((row) => row.worthwhile_lift));
  const axis = sharedAxis(
    docket.rows.map((row) => row.lift),
    Math.min(worthwhile, 0.1),
  );
  const onKeyDown = useRowKeys();
  const shown = GROUPS.filter((group) => docket.rows.some((row) => row.group === group.name));
  return (
    <div onKeyDown={onKeyDown}>
      {shown.map((group, index) => (
        <section key={group.name} className="mt-3" aria-label={group.title}>
          <div className="mb-1 flex items-end gap-3 px-px">
            <h2 className="text-[17px]">{group.title}</h2>
            <span className="quiet text-sm max-sm:hidden">{group.note}</span>
            {index === 0 && (
              <span className="mr-[150px] ml-auto max-md:hidden" style={{ width: STRIP_WIDTH }}>
                <StripAxis axis={axis} width={STRIP_WIDTH} />
              </span>
            )}
          </div>
          <ul className="sheet divide-y divide-base-300">
            {docket.rows
              .filter((row) => row.group === group.name)
              .map((row) => (
                <Row key={row.key} row={row} axis={axis} />
              ))}
          </ul>
        </section>
      ))}
    </div>
  );
}

function Nothing({ filtered, archived }: { filtered: boolean; archived: boolean }) {
  const { data: session } = useSession();
  if (archived) return <Empty title="The archive is empty">Archived experiments are kept here.</Empty>;
  if (filtered)
    return <Empty title="No match">No experiment matches the search and the filters. Clear one of them.</Empty>;
  return (
    <Empty title="No experiments yet">
      {session?.account?.may_edit
        ? "Press New experiment (or the key n), or try counts in the Scratchpad first."
        : "An analyst will make the first one. The Scratchpad works already."}
    </Empty>
  );
}
