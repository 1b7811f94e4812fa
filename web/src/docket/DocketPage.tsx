import { useCallback, useMemo, useState } from "react";
import { Link } from "react-router";
import type { Docket, DocketRow } from "../api/client";
import { useDocket, useLooked, useSession, type DocketFilter, useZone } from "../api/hooks";
import { StripAxis } from "../charts/IntervalStrip";
import { sharedAxis } from "../lib/axis";
import { moment, plural } from "../lib/format";
import { useAddressParams } from "../lib/useAddressParams";
import { useSettled } from "../lib/useSettled";
import { Empty, Failure, FormError, Skeleton } from "../parts/basics";
import { useTitle } from "../parts/title";
import { filterOf, narrows, SORTS } from "./filter";
import { Filters } from "./Filters";
import { STRIP_WIDTH } from "./Row";
import { Rows } from "./Rows";
import { Selected } from "./Selected";
import { useRowKeys } from "./useRowKeys";

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

/** How long a pause in typing is until the server is asked, in milliseconds. */
const PAUSE = 200;

export function DocketPage() {
  useTitle("Docket");
  const [params, change] = useAddressParams();
  const { data: session } = useSession();
  const asked = useSettled(params.toString(), PAUSE);
  const filter = useMemo(() => filterOf(new URLSearchParams(asked)), [asked]);
  const docket = useDocket(filter);
  const [selected, setSelected] = useState<ReadonlySet<string>>();
  const toggle = useCallback((key: string) => setSelected((before) => toggled(before, key)), []);
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
        {asked && (
          <Link className="link" to="/">
            Show the docket without filters
          </Link>
        )}
      </Page>
    );
  const [first] = docket.data.pages;
  if (!first) return null;
  const rows = docket.data.pages.flatMap((page) => page.rows);
  const more = docket.hasNextPage && !docket.isFetching ? () => void docket.fetchNextPage() : undefined;
  return (
    <Page headline={filter.archived ? "The archive" : first.headline}>
      <Filters
        params={params}
        choices={first.choices}
        change={change}
        selecting={selected !== undefined}
        {...(session?.account?.may_edit && { select: (on: boolean) => setSelected(on ? new Set() : undefined) })}
      />
      <Since docket={first} only={filter.changed ?? false} show={(on) => change({ changed: on ? "yes" : "" })} />
      {rows.length === 0 ? (
        <Nothing filter={filter} />
      ) : (
        <Groups docket={first} rows={rows} sort={filter.sort} lists={{ more, selected, toggle }} />
      )}
      <p className="quiet mt-4 text-sm" role="status">
        {rows.length > 0 && `${plural(first.count, "experiment")}.`}
        {first.behind > 0 &&
          ` ${first.behind === 1 ? "One row waits" : `${first.behind} rows wait`} to be read again, and ${first.behind === 1 ? "shows" : "show"} what was there a few minutes ago.`}
        {first.left_out > 0 && (
          <>
            {" "}
            {first.left_out === 1 ? "One was" : `${first.left_out} were`} decided longer ago:{" "}
            <Link className="link" to="/?state=decided">
              show all that are decided
            </Link>
            , or look into the{" "}
            <Link className="link" to="/casebook">
              casebook
            </Link>
            .
          </>
        )}
      </p>
      {selected && (
        <Selected
          rows={rows.filter((row) => selected.has(row.key))}
          all={() => setSelected(new Set(rows.map((row) => row.key)))}
          clear={() => setSelected(new Set())}
        />
      )}
    </Page>
  );
}

function toggled(before: ReadonlySet<string> | undefined, key: string): ReadonlySet<string> {
  const next = new Set(before);
  if (!next.delete(key)) next.add(key);
  return next;
}

function Page({ headline, children }: { headline: string; children: React.ReactNode }) {
  return (
    <main className="mx-auto max-w-[1400px] px-6 pt-3 pb-10 max-sm:px-3">
      <h1 className="mb-1 text-[27px]">{headline}</h1>
      {children}
    </main>
  );
}

/** What others did since one looked last. */
function Since({ docket, only, show }: { docket: Docket; only: boolean; show: (only: boolean) => void }) {
  const zone = useZone();
  const looked = useLooked();
  if (docket.changed === 0 && !only) return null;
  const since = moment(docket.looked_at, zone);
  return (
    <div className="flex flex-wrap items-center gap-x-3 gap-y-1 text-sm" aria-live="polite">
      <span>
        {docket.changed === 0 ? "Nobody else has" : "Others have"} changed{" "}
        {docket.changed === 0 ? "anything" : plural(docket.changed, "experiment")} since {since}.
      </span>
      <button type="button" className="link" onClick={() => show(!only)}>
        {only ? "Show all" : "Show only those"}
      </button>
      {docket.changed > 0 && (
        <button
          type="button"
          className="link"
          disabled={looked.isPending}
          onClick={() => {
            show(false);
            looked.mutate(docket.as_of);
          }}
        >
          Mark as seen
        </button>
      )}
      <FormError error={looked.error} />
    </div>
  );
}

interface Lists {
  more: (() => void) | undefined;
  selected: ReadonlySet<string> | undefined;
  toggle: (key: string) => void;
}

interface GroupsProps {
  docket: Docket;
  rows: DocketRow[];
  sort: DocketFilter["sort"];
  lists: Lists;
}

function Groups({ docket, rows, sort, lists }: GroupsProps) {
  // By the first page: strips would jump as further ones come.
  const axis = useMemo(() => {
    const worthwhile = Math.max(...docket.rows.map((row) => row.worthwhile_lift));
    return sharedAxis(
      docket.rows.map((row) => row.lift),
      Math.min(worthwhile, 0.1),
    );
  }, [docket.rows]);
  const onKeyDown = useRowKeys();
  const shown = sort
    ? [{ name: sort, title: SORTS[sort], note: "", rows }]
    : GROUPS.map((group) => ({ ...group, rows: rows.filter((row) => row.group === group.name) })).filter(
        (group) => group.rows.length > 0,
      );
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
          <Rows rows={group.rows} axis={axis} {...lists} more={index === shown.length - 1 ? lists.more : undefined} />
        </section>
      ))}
    </div>
  );
}

function Nothing({ filter }: { filter: DocketFilter }) {
  const { data: session } = useSession();
  if (filter.changed)
    return <Empty title="Nothing new">Nobody else has changed an experiment that fits since you looked.</Empty>;
  if (narrows(filter))
    return <Empty title="No match">No experiment matches the search and the filters. Clear one of them.</Empty>;
  if (filter.archived) return <Empty title="The archive is empty">Archived experiments are kept here.</Empty>;
  return (
    <Empty title="No experiments yet">
      {session?.account?.may_edit ? "Three ways to begin:" : "An analyst will make the first one. Until then:"}
      <ul className="mx-auto mt-2 w-fit list-disc pl-5 text-left">
        <li>
          You have counts in hand:{" "}
          <Link className="link" to="/scratchpad">
            paste them into the Scratchpad
          </Link>
          , and the verdict follows.
        </li>
        <li>
          You plan a test:{" "}
          <Link className="link" to="/scratchpad?ask=size">
            see how many visitors and weeks it takes
          </Link>
          {session?.account?.may_edit && ", or press New experiment (the key n)"}.
        </li>
        <li>
          You want to see first how it goes:{" "}
          <Link className="link" to="/manual">
            the manual
          </Link>{" "}
          is one page.
        </li>
      </ul>
    </Empty>
  );
}
