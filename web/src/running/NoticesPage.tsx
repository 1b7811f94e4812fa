import { Link } from "react-router";
import { useZone } from "../api/hooks";
import { useNotices, useReadNotices } from "../api/running";
import { moment, plural } from "../lib/format";
import { SHEET_TITLES, type SheetName } from "../lib/words";
import { Empty, Failure, Skeleton } from "../parts/basics";
import { useTitle } from "../parts/title";

const EDGE: Record<string, string> = {
  unsound: "border-l-error",
  mind: "border-l-warning",
  ready: "border-l-primary",
};

/** What needs somebody, each sent once, the latest first. */
export function NoticesPage() {
  useTitle("Notices");
  const notices = useNotices();
  const read = useReadNotices();
  const zone = useZone();
  const unread = notices.data?.unread ?? 0;
  return (
    <main className="mx-auto max-w-[900px] px-6 pt-5 pb-12 max-sm:px-3">
      <div className="mb-3 flex items-end gap-4">
        <h1 className="grow text-[27px]">{unread ? `${plural(unread, "new notice")}` : "No new notices"}</h1>
        {unread > 0 && (
          <button className="btn btn-sm" onClick={() => read.mutate()}>
            Mark all as read
          </button>
        )}
      </div>
      {notices.isPending && <Skeleton rows={4} />}
      {notices.isError && <Failure error={notices.error} again={() => void notices.refetch()} />}
      {notices.data?.items.length === 0 && (
        <Empty title="No notices">
          A bad split, a gap, doubtful events or a rule that is satisfied appears here, and goes by mail to the owner.
        </Empty>
      )}
      <ul className="grid gap-2">
        {notices.data?.items.map((notice) => (
          <li key={notice.id} className={`sheet border-l-4 px-4 py-2 ${EDGE[notice.tone] ?? "border-l-neutral"}`}>
            <div className="quiet flex gap-3 text-sm">
              <span>{moment(notice.at, zone)}</span>
              {notice.mailed && <span>mailed to the owner</span>}
              {!notice.read && <span className="font-semibold text-primary">new</span>}
            </div>
            <p className={notice.read ? "" : "font-semibold"}>{notice.sentence}</p>
            <p className="quiet text-sm">{notice.advice}.</p>
            <Link className="link text-sm" to={`/experiments/${notice.experiment}/${notice.sheet}`}>
              Open {SHEET_TITLES[notice.sheet as SheetName]}
            </Link>
          </li>
        ))}
      </ul>
    </main>
  );
}
