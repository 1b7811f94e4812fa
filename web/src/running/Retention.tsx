import { useState } from "react";
import type { Retention as Kept } from "../api/client";
import { useSession } from "../api/hooks";
import { useRetention } from "../api/running";
import { count, megabytes, moment, weekday } from "../lib/format";
import { errorOf, Failure, FormError, Panel, Skeleton } from "../parts/basics";

/** For how long events stay in the database, and anything by the ids of units at all. */
export function Retention() {
  const { data: session } = useSession();
  if (!session?.account?.may_edit) return null;
  return (
    <Panel title="What is kept" note="seen to each night; sums, decisions and the ledger stay for good">
      <Content zone={session.time_zone} />
    </Panel>
  );
}

function Content({ zone }: { zone: string }) {
  const { kept } = useRetention();
  if (kept.isError) return <Failure error={kept.error} again={() => void kept.refetch()} />;
  if (!kept.data) return <Skeleton rows={2} />;
  return (
    <>
      <HowMuch kept={kept.data} zone={zone} />
      <Choice kept={kept.data} />
    </>
  );
}

function HowMuch({ kept, zone }: { kept: Kept; zone: string }) {
  const [first, last] = kept.put_away_days;
  return (
    <p className="text-sm">
      {count(kept.events)} events in a database of {megabytes(kept.database)}
      {kept.free > 0 && `, ${megabytes(kept.free)} of it free`}.{" "}
      {first && last
        ? `${count(kept.put_away)} put away in ${megabytes(kept.put_away_bytes)}, of ${weekday(first)} to ${weekday(last)}; a rebuild counts them too.`
        : "None are put away."}{" "}
      {kept.held_back_by && `${kept.held_back_by} keeps more events than that while it is open. `}
      {kept.tended_at && `Last seen to ${moment(kept.tended_at, zone)}.`}
    </p>
  );
}

function Choice({ kept }: { kept: Kept }) {
  const { choose } = useRetention();
  const [days, setDays] = useState(typed(kept.days_of_events));
  const [ids, setIds] = useState(typed(kept.days_of_ids));
  const unchanged = days === typed(kept.days_of_events) && ids === typed(kept.days_of_ids);
  const wrong = errorOf(choose.error, "days_of_events") ?? errorOf(choose.error, "days_of_ids");
  return (
    <form
      className="mt-2 flex flex-wrap items-end gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        choose.mutate({ days_of_events: days ? Number(days) : null, days_of_ids: ids ? Number(ids) : null });
      }}
    >
      <Days label="Events stay in the database, days" value={days} change={setDays} />
      <Days label="Anything by the ids of units is kept, days" value={ids} change={setIds} />
      <button className="btn btn-sm" disabled={unchanged || choose.isPending}>
        Keep so long
      </button>
      <p className="quiet w-full text-sm">
        Empty: as long as there is room. Events that are older go to files on the server, and what arrives later of days
        that were put away is not taken in. Ids go with experiments decided that long ago.
        {kept.by && ` Chosen by ${kept.by}.`}
      </p>
      {wrong ? (
        <p role="alert" className="w-full text-sm text-error">
          {wrong}
        </p>
      ) : (
        <FormError error={choose.error} />
      )}
    </form>
  );
}

const typed = (days: number | null | undefined) => (days == null ? "" : String(days));

function Days({ label, value, change }: { label: string; value: string; change: (value: string) => void }) {
  return (
    <label>
      <span className="quiet block text-sm">{label}</span>
      <input
        type="number"
        className="input input-sm w-28"
        value={value}
        onChange={(event) => change(event.target.value)}
      />
    </label>
  );
}
