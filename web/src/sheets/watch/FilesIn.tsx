import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { sendEventFile, sendSpend, sendUnits, type EventFileSeen, type UnitsSeen } from "../../api/client";
import { useStale } from "../../api/keys";
import { kindNamed, LETTERS } from "../../api/vocabulary";
import { count, day, plural } from "../../lib/format";
import { UploadPanel } from "../../parts/UploadPanel";
import { WrongLines } from "../../parts/WrongLines";
import { useEditing } from "../editing";
import { DataTable } from "../../parts/DataTable";
import { DecimalMarkChoice } from "./DecimalMarkChoice";
import { SecondCountFile } from "./SecondCountFile";
import { TotalsPreview } from "./TotalsPreview";

/** Files with a row a unit (CSV, Parquet), an event a line (NDJSON), or spend by day. */
export function FilesIn() {
  return (
    <div className="grid grid-cols-2 items-start gap-3 max-xl:grid-cols-1">
      <UnitFile />
      <EventFile />
      <SpendFile />
      <SecondCountFile />
    </div>
  );
}

function UnitFile() {
  const { experiment } = useEditing();
  const stale = useStale();
  const preview = useMutation({
    mutationFn: ({ file, mark }: { file: File; mark: Mark }) => sendUnits(experiment.key, file, mark),
  });
  const store = useMutation({
    mutationFn: ({ file, mark, seen }: { file: File; mark: Mark; seen: UnitsSeen }) =>
      sendUnits(experiment.key, file, mark, seen.digest, seen.wrong_count > 0),
    onSuccess: () => {
      preview.reset();
      stale("data", experiment.key);
    },
  });
  const counted = experiment.metrics.filter((use) => !kindNamed(use.kind).parts.includes("totals"));
  const columns = counted.flatMap((use) => {
    const stem = use.key.replaceAll("-", "_");
    return use.before_days ? [stem, `${stem}_before`] : [stem];
  });
  const seen = preview.data;
  const given = preview.variables;
  return (
    <UploadPanel
      fold="units-file"
      title="A file of units"
      note="CSV or Parquet"
      holds={
        <>
          One row each, with unit, variant, day, and its total: <span className="font-mono">{columns.join(", ")}</span>.
          Properties that segments are kept by may be columns too.
        </>
      }
      label="Choose a file of units"
      accept=".csv,.parquet,.txt"
      busy={preview.isPending}
      pick={(file) => {
        store.reset();
        preview.mutate({ file, mark: "" });
      }}
      error={preview.error ?? store.error}
    >
      {seen && given && (
        <UnitsPreview
          seen={seen}
          chooseMark={(mark) => preview.mutate({ file: given.file, mark })}
          storing={store.isPending}
          store={() => store.mutate({ ...given, seen })}
        />
      )}
      {store.data && (
        <p role="status" className="mt-2 text-sm">
          Stored: {count(store.data.units.reduce((sum, units) => sum + units, 0))} {experiment.unit_name}.
        </p>
      )}
    </UploadPanel>
  );
}

interface UnitsPreviewProps {
  seen: UnitsSeen;
  chooseMark: (mark: Mark) => void;
  storing: boolean;
  store: () => void;
}

function UnitsPreview({ seen, chooseMark, storing, store }: UnitsPreviewProps) {
  return (
    <div className="mt-2 text-sm" role="status">
      <p>
        {plural(seen.rows, "row")}
        {seen.first_day && seen.last_day && `, ${day(seen.first_day)} to ${day(seen.last_day)}`}:{" "}
        {seen.units.map((units, arm) => `${count(units)} in ${LETTERS[arm]}`).join(", ")}; {seen.metrics.join(", ")}
        {seen.segments > 0 && `; ${plural(seen.segments, "segment")}`}.
      </p>
      {(seen.decimal_open || seen.decimal_mark === ",") && (
        <DecimalMarkChoice open={seen.decimal_open} mark={seen.decimal_mark} choose={chooseMark} />
      )}
      {seen.ignored.length > 0 && <p className="quiet">Not used: {seen.ignored.join(", ")}</p>}
      {seen.never_counted > 0 && (
        <p>{plural(seen.never_counted, "row")} of who is never counted (Traffic) are left out.</p>
      )}
      {seen.repeated > 0 && (
        <p className="text-error">
          {plural(seen.repeated, "row")} repeat a unit: {seen.repeated_units.join(", ")}
          {seen.repeated > seen.repeated_units.length && "…"}
        </p>
      )}
      {seen.seen_already && <p className="text-error">{seen.seen_already}.</p>}
      {seen.replaces.length > 0 && <Replaces lines={seen.replaces} />}
      <WrongLines
        wrong={seen.wrong_count}
        lines={seen.wrong.map((line) => ({
          where: [line.unit || "(no unit)", line.variant, line.day].filter(Boolean).join(", "),
          reason: line.reason,
        }))}
        consequence="they can be left out"
      />
      <button
        className="btn btn-sm btn-primary mt-1"
        disabled={
          storing ||
          seen.decimal_open ||
          seen.repeated > 0 ||
          seen.seen_already !== "" ||
          seen.rows === seen.wrong_count
        }
        onClick={store}
      >
        {storing ? "Storing…" : seen.wrong_count ? "Store all but the wrong rows" : "Store"}
      </button>
    </div>
  );
}

/** What is there already and would be another figure; all else stays. */
function Replaces({ lines }: { lines: UnitsSeen["replaces"] }) {
  return (
    <DataTable
      label="What it replaces"
      rows={lines}
      rowKey={(row) => `${row.metric} ${row.letter}`}
      columns={[
        {
          name: "Replaces",
          align: "left",
          cell: (row) => `${row.metric}, ${row.letter}`,
          value: (row) => `${row.metric}, ${row.letter}`,
        },
        { name: "Days", cell: (row) => row.days, value: (row) => row.days },
        { name: "Units before", cell: (row) => count(row.units[0] ?? 0), value: (row) => row.units[0] },
        { name: "Units after", cell: (row) => count(row.units[1] ?? 0), value: (row) => row.units[1] },
        { name: "Total before", cell: (row) => count(row.total[0] ?? 0), value: (row) => row.total[0] },
        { name: "Total after", cell: (row) => count(row.total[1] ?? 0), value: (row) => row.total[1] },
      ]}
    />
  );
}

const NOTHING_STORED = "nothing was stored";

function EventFile() {
  const { experiment } = useEditing();
  const stale = useStale();
  const send = useMutation({ mutationFn: sendEventFile, onSuccess: () => stale("data", experiment.key) });
  const seen = send.data;
  return (
    <UploadPanel
      fold="events-file"
      title="A file of events"
      note="one JSON object a line, gzip too"
      holds={
        <>
          As they would be sent to <span className="font-mono">/api/v1/collect</span>; each id counts once, so that the
          same file may be sent again.
        </>
      }
      label="Choose a file of events"
      accept=".ndjson,.jsonl,.json,.gz"
      busy={send.isPending}
      pick={(file) => send.mutate(file)}
      error={send.error}
    >
      {seen && (
        <WrongLines
          wrong={seen.bad_count}
          lines={seen.bad.map((line) => ({ where: `line ${line.line}`, reason: line.reason }))}
          consequence={NOTHING_STORED}
        />
      )}
      {seen && seen.bad_count === 0 && <EventsStored seen={seen} />}
    </UploadPanel>
  );
}

function EventsStored({ seen }: { seen: EventFileSeen }) {
  const unknown = Object.keys(seen.unknown);
  return (
    <p role="status" className="mt-2 text-sm">
      {count(seen.accepted)} stored, {count(seen.duplicates)} were stored before
      {seen.held > 0 && `, ${count(seen.held)} held because they are dated in the future`}
      {seen.too_old > 0 && `, ${count(seen.too_old)} not taken in: events of their day were put away`}
      {unknown.length > 0 && `; stored but counted by no metric: ${unknown.join(", ")}`}.
    </p>
  );
}

type Mark = "" | "." | ",";
interface GivenSpend {
  file: File;
  mark: Mark;
  currency: string;
}

function SpendFile() {
  const { experiment } = useEditing();
  const stale = useStale();
  const preview = useMutation({
    mutationFn: ({ file, mark, currency }: GivenSpend) => sendSpend(experiment.key, file, mark, currency),
  });
  const store = useMutation({
    mutationFn: ({ file, mark, currency, digest }: GivenSpend & { digest: string }) =>
      sendSpend(experiment.key, file, mark, currency, digest),
    onSuccess: () => {
      preview.reset();
      stale("data", experiment.key);
    },
  });
  const seen = preview.data;
  const given = preview.variables;
  return (
    <UploadPanel
      fold="spend-file"
      title="Spend and impressions"
      note="CSV, by day and variant"
      holds={
        <>
          Ad spend and impressions: <span className="font-mono">day, variant, cost, impressions</span>, either of the
          two may be missing; <span className="font-mono">currency</span> where it is not the workspace’s. It replaces
          the same days and variants.
        </>
      }
      label="Choose a file of costs"
      accept=".csv,.txt"
      busy={preview.isPending}
      pick={(file) => {
        store.reset();
        preview.mutate({ file, mark: "", currency: "" });
      }}
      error={preview.error ?? store.error}
    >
      {seen && given && (
        <TotalsPreview
          seen={seen}
          nameOf={(field) => (field === "cost" ? `Cost in ${seen.currency}` : "Impressions")}
          chooseMark={(mark) => preview.mutate({ ...given, mark })}
          storing={store.isPending}
          store={() => store.mutate({ ...given, digest: seen.digest })}
          storeLabel="Store spend"
        >
          {"cost" in seen.totals && (
            <CurrencyChoice
              key={seen.currency}
              now={seen.currency}
              choose={(currency) => preview.mutate({ ...given, currency })}
            />
          )}
          {seen.remarks.map((remark) => (
            <p key={remark} className="tone-warning">
              {remark}
            </p>
          ))}
        </TotalsPreview>
      )}
      {store.data && (
        <p role="status" className="mt-2 text-sm">
          Stored: spend and impressions of {plural(store.data.days, "day")}. {store.data.remarks.join(" ")}
        </p>
      )}
    </UploadPanel>
  );
}

/** The currency that a file of costs is read in, where it is another than the one taken. */
function CurrencyChoice({ now, choose }: { now: string; choose: (currency: string) => void }) {
  const [typed, setTyped] = useState(now);
  return (
    <form
      className="flex items-center gap-2 py-1"
      onSubmit={(event) => {
        event.preventDefault();
        choose(typed);
      }}
    >
      <label className="flex items-center gap-2">
        Currency
        <input
          className="input input-sm w-16"
          maxLength={3}
          value={typed}
          onChange={(event) => setTyped(event.target.value.toUpperCase())}
        />
      </label>
      {typed !== now && <button className="btn btn-xs">Read it in {typed}</button>}
    </form>
  );
}
