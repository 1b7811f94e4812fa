import { LETTERS } from "../../api/vocabulary";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef } from "react";
import { sendEventFile, sendOutlays, sendUnits, type EventFileSeen, type UnitsSeen } from "../../api/client";
import { keys } from "../../api/hooks";
import { count, day, plural } from "../../lib/format";
import { FormError, Panel } from "../../parts/basics";
import { useEditing } from "../editing";

/** Files with a row a unit (CSV, Parquet), or an event a line (NDJSON). */
export function FilesIn() {
  return (
    <div className="grid grid-cols-2 items-start gap-3 max-xl:grid-cols-1">
      <UnitFile />
      <EventFile />
      <OutlayFile />
    </div>
  );
}

function useFresh() {
  const { experiment } = useEditing();
  const cache = useQueryClient();
  return () => {
    for (const stale of [
      keys.evidence(experiment.key),
      keys.live(experiment.key),
      keys.docket(),
      keys.ledger(experiment.key),
      keys.report(experiment.key),
    ]) {
      void cache.invalidateQueries({ queryKey: stale });
    }
  };
}

interface PickProps {
  label: string;
  accept: string;
  busy: boolean;
  pick: (file: File) => void;
}

function Pick({ label, accept, busy, pick }: PickProps) {
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <button className="btn btn-sm" disabled={busy} onClick={() => input.current?.click()}>
        {busy ? "Reading…" : label}
      </button>
      <input
        ref={input}
        type="file"
        className="hidden"
        aria-label={label}
        accept={accept}
        onChange={(event) => {
          const file = event.target.files?.[0];
          event.target.value = "";
          if (file) pick(file);
        }}
      />
    </>
  );
}

function UnitFile() {
  const { experiment } = useEditing();
  const fresh = useFresh();
  const preview = useMutation({ mutationFn: (file: File) => sendUnits(experiment.key, file) });
  const store = useMutation({
    mutationFn: ({ file, seen, leaveOut }: { file: File; seen: UnitsSeen; leaveOut: boolean }) =>
      sendUnits(experiment.key, file, seen.digest, leaveOut),
    onSuccess: () => {
      preview.reset();
      fresh();
    },
  });
  const columns = experiment.metrics.flatMap((use) => {
    const stem = use.key.replaceAll("-", "_");
    return use.before_days ? [stem, `${stem}_before`] : [stem];
  });
  const seen = preview.data;
  return (
    <Panel title="A file of units" note="CSV or Parquet">
      <p className="quiet mb-2 text-sm">
        One row each, with unit, variant, day, and what it comes to:{" "}
        <span className="font-mono">{columns.join(", ")}</span>. Properties that segments are kept by may be columns
        too.
      </p>
      <Pick
        label="Choose a file of units"
        accept=".csv,.parquet,.txt"
        busy={preview.isPending}
        pick={(file) => {
          store.reset();
          preview.mutate(file);
        }}
      />
      <FormError error={preview.error ?? store.error} />
      {seen && (
        <div className="mt-2 text-sm" role="status">
          <p>
            {plural(seen.rows, "row")}
            {seen.first_day && seen.last_day && `, ${day(seen.first_day)} to ${day(seen.last_day)}`}:{" "}
            {seen.units.map((units, arm) => `${count(units)} in ${LETTERS[arm]}`).join(", ")}; {seen.metrics.join(", ")}
            {seen.segments > 0 && `; ${plural(seen.segments, "segment")}`}.
          </p>
          {seen.ignored.length > 0 && <p className="quiet">Not used: {seen.ignored.join(", ")}</p>}
          {seen.repeated > 0 && <p className="text-error">{plural(seen.repeated, "row")} repeat a unit.</p>}
          {seen.wrong_count > 0 && (
            <ul className="my-1 max-h-32 overflow-auto border-l-2 border-error pl-2">
              {seen.wrong.map((line, index) => (
                <li key={index}>
                  {line.unit || "(no unit)"}, {line.variant}, {line.day}: {line.reason}
                </li>
              ))}
              {seen.wrong_count > seen.wrong.length && <li>and {count(seen.wrong_count - seen.wrong.length)} more</li>}
            </ul>
          )}
          <button
            className="btn btn-sm btn-primary mt-1"
            disabled={store.isPending || seen.repeated > 0 || seen.rows === seen.wrong_count}
            onClick={() =>
              preview.variables && store.mutate({ file: preview.variables, seen, leaveOut: seen.wrong_count > 0 })
            }
          >
            {store.isPending ? "Storing…" : seen.wrong_count ? "Store all but the wrong rows" : "Store"}
          </button>
        </div>
      )}
      {store.data && (
        <p role="status" className="mt-2 text-sm">
          Stored: {count(store.data.units.reduce((sum, units) => sum + units, 0))} {experiment.unit_name}.
        </p>
      )}
    </Panel>
  );
}

function EventFile() {
  const fresh = useFresh();
  const send = useMutation({ mutationFn: sendEventFile, onSuccess: fresh });
  return (
    <Panel title="A file of events" note="one JSON object a line, gzip too">
      <p className="quiet mb-2 text-sm">
        As they would be sent to <span className="font-mono">/api/v1/collect</span>; each id counts once, so that the
        same file may be sent again.
      </p>
      <Pick
        label="Choose a file of events"
        accept=".ndjson,.jsonl,.json,.gz"
        busy={send.isPending}
        pick={(file) => send.mutate(file)}
      />
      <FormError error={send.error} />
      {send.data && <EventsTold seen={send.data} />}
    </Panel>
  );
}

function OutlayFile() {
  const { experiment } = useEditing();
  const fresh = useFresh();
  const send = useMutation({ mutationFn: (file: File) => sendOutlays(experiment.key, file), onSuccess: fresh });
  const seen = send.data;
  return (
    <Panel title="Spend and impressions" note="CSV, by day and variant">
      <p className="quiet mb-2 text-sm">
        What an advertising desk bills and shows: <span className="font-mono">day, variant, cost, impressions</span>,
        either of the two may be missing. It replaces the same days and variants.
      </p>
      <Pick
        label="Choose a file of costs"
        accept=".csv,.txt"
        busy={send.isPending}
        pick={(file) => send.mutate(file)}
      />
      <FormError error={send.error} />
      {seen && seen.wrong_count === 0 && (
        <p role="status" className="mt-2 text-sm">
          Stored: spend and impressions of {plural(seen.days, "day")}.
        </p>
      )}
      {seen && seen.wrong_count > 0 && (
        <div role="alert" className="mt-2 text-sm">
          <p className="text-error">
            {plural(seen.wrong_count, "row")} of {count(seen.rows)} are wrong; nothing was stored.
          </p>
          <ul className="max-h-32 overflow-auto border-l-2 border-error pl-2">
            {seen.wrong.map((line) => (
              <li key={line.line}>
                line {line.line}: {line.reason}
              </li>
            ))}
          </ul>
        </div>
      )}
    </Panel>
  );
}

function EventsTold({ seen }: { seen: EventFileSeen }) {
  if (seen.bad_count > 0)
    return (
      <div role="alert" className="mt-2 text-sm">
        <p className="text-error">
          {plural(seen.bad_count, "line")} of {count(seen.lines)} are wrong; nothing was stored.
        </p>
        <ul className="max-h-32 overflow-auto border-l-2 border-error pl-2">
          {seen.bad.map((bad) => (
            <li key={bad.line}>
              line {bad.line}: {bad.reason}
            </li>
          ))}
        </ul>
      </div>
    );
  const unknown = Object.keys(seen.unknown);
  return (
    <p role="status" className="mt-2 text-sm">
      {count(seen.accepted)} taken in, {count(seen.duplicates)} were there already
      {seen.held > 0 && `, ${count(seen.held)} held because they are dated in the future`}
      {unknown.length > 0 && `; kept but counted nowhere: ${unknown.join(", ")}`}.
    </p>
  );
}
