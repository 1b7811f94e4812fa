import { Link } from "react-router";
import type { DocketRow } from "../api/client";
import { IntervalStrip } from "../charts/IntervalStrip";
import { verdictNamed } from "../api/vocabulary";
import type { Axis } from "../lib/axis";
import { bounds, plural } from "../lib/format";
import { STATES, TONE_CLASS } from "../lib/words";

export const STRIP_WIDTH = 220;

export function Row({ row, axis }: { row: DocketRow; axis: Axis }) {
  const look = row.verdict ? verdictNamed(row.verdict) : null;
  const settled = row.group === "ready" || row.group === "decided";
  const shown = settled && look ? look : null;
  return (
    <Link
      to={`/experiments/${row.key}/${target(row)}`}
      data-docket-row
      className="grid min-h-[46px] min-w-0 grow grid-cols-[minmax(0,300px)_minmax(0,1fr)_220px_134px] items-center gap-4 px-4 py-1 hover:bg-base-200 max-md:grid-cols-[minmax(0,1fr)] max-md:gap-1 max-md:py-2"
    >
      <span className="min-w-0">
        <span className="block truncate font-semibold" dir="auto">
          {row.name}
        </span>
        <span className="flex min-w-0 gap-2 text-xs">
          <span className="quiet min-w-0 truncate">{row.metric || "no metric yet"}</span>
          {row.news > 0 && <News latest={row.latest_news} further={row.news - 1} />}
        </span>
      </span>
      <span
        className={`${shown ? `${TONE_CLASS[shown.tone]} font-semibold` : row.group === "preparation" ? "quiet" : ""}`}
      >
        {shown && <span aria-hidden>{shown.mark} </span>}
        {row.state === "paused" ? `Paused. ${row.short}` : row.short}
        {row.adjusted_text && <span className="quiet block text-xs font-normal">{row.adjusted_text}</span>}
      </span>
      <span>
        {row.lift && (
          <IntervalStrip
            lift={row.lift}
            tone={row.tone}
            worthwhile={row.worthwhile_lift}
            axis={axis}
            width={STRIP_WIDTH}
            sentence={`${row.lift.estimate_text}, ${bounds(row.lift)}`}
          />
        )}
      </span>
      <Progress row={row} />
    </Link>
  );
}

/** The latest that others did, and how much more there was. */
function News({ latest, further }: { latest: string; further: number }) {
  return (
    <span className="w-3/5 shrink-0 truncate" title={latest}>
      <span aria-hidden className="mr-1 inline-block size-1.5 rounded-full bg-primary align-middle" />
      {further > 0 && `${further + 1} changes, the last by `}
      {latest}
    </span>
  );
}

function target(row: DocketRow): string {
  if (row.group === "preparation") return "brief";
  return ["ready", "decided", "tailored"].includes(row.group) ? "verdict" : "evidence";
}

function Progress({ row }: { row: DocketRow }) {
  if (row.planned_days === 0)
    return <span className="quiet text-right text-xs max-md:hidden">{STATES[row.state]}</span>;
  const days = row.days > row.planned_days ? plural(row.days, "day") : `Day ${row.days} of ${row.planned_days}`;
  const part = Math.min(row.progress ?? 0, 1);
  return (
    <span className="text-right text-xs max-md:text-left">
      {days}
      <span
        className="mt-1 block h-[5px] rounded-full bg-base-300"
        role="img"
        aria-label={`${Math.floor(part * 100)}% of the planned data`}
      >
        <span className="block h-full rounded-full bg-neutral" style={{ width: `${part * 100}%` }} />
      </span>
    </span>
  );
}
