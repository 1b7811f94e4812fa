import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { sendSecondCount, type SecondCountSeen } from "../../api/client";
import { useStale } from "../../api/keys";
import { LETTERS } from "../../api/vocabulary";
import { day, percentText, plural } from "../../lib/format";
import { NumberField } from "../../parts/fields";
import { UploadPanel } from "../../parts/UploadPanel";
import { WrongLines } from "../../parts/WrongLines";
import { useEditing } from "../editing";
import { DecimalMarkChoice } from "./DecimalMarkChoice";

interface Given {
  file: File;
  source: string;
  mark: "" | "." | ",";
}

/** What another system counted of the same experiment: analytics, billing, a spreadsheet. */
export function SecondCountFile() {
  const { experiment, save, locked, mayEdit, errorFor } = useEditing();
  const stale = useStale();
  const [source, setSource] = useState("");
  const preview = useMutation({
    mutationFn: ({ file, source, mark }: Given) => sendSecondCount(experiment.key, file, source, mark),
  });
  const store = useMutation({
    mutationFn: ({ file, source, mark, digest }: Given & { digest: string }) =>
      sendSecondCount(experiment.key, file, source, mark, digest),
    onSuccess: () => {
      preview.reset();
      stale("data", experiment.key);
    },
  });
  const seen = preview.data;
  const given = preview.variables;
  return (
    <UploadPanel
      title="A second count"
      note="CSV, by day and variant"
      holds={
        <>
          The same experiment as another system counts it:{" "}
          <span className="font-mono">day, variant, units, conversions, amount, cost</span>, as far as it has them. It
          is held against the first count, and never taken instead of it.
        </>
      }
      label="Choose a file of a second count"
      accept=".csv,.txt"
      busy={preview.isPending}
      pick={(file) => {
        store.reset();
        preview.mutate({ file, source, mark: "" });
      }}
      error={preview.error ?? store.error}
      actions={
        <>
          <label className="flex items-center gap-2 text-sm">
            Counted by
            <input
              className="input input-sm w-36"
              maxLength={40}
              placeholder="analytics"
              value={source}
              onChange={(event) => setSource(event.target.value)}
            />
          </label>
          {locked || !mayEdit ? (
            <span className="quiet text-sm">
              {percentText(experiment.count_tolerance)}% difference is tolerated, set before the start
            </span>
          ) : (
            <NumberField
              label="Difference tolerated"
              percent
              value={experiment.count_tolerance ?? null}
              save={(count_tolerance) => save({ count_tolerance: count_tolerance ?? undefined })}
              error={errorFor("changes.count_tolerance")}
              note="common practice: a few per cent"
            />
          )}
        </>
      }
    >
      {seen && given && (
        <Preview
          seen={seen}
          chooseMark={(mark) => preview.mutate({ ...given, mark })}
          storing={store.isPending}
          store={() => store.mutate({ ...given, digest: seen.digest })}
        />
      )}
      {store.data && (
        <p role="status" className="mt-2 text-sm">
          Stored: {plural(store.data.days, "day")} counted by {store.data.source}. The Evidence sheet holds them against
          the first count.
        </p>
      )}
    </UploadPanel>
  );
}

interface PreviewProps {
  seen: SecondCountSeen;
  chooseMark: (mark: Given["mark"]) => void;
  storing: boolean;
  store: () => void;
}

function Preview({ seen, chooseMark, storing, store }: PreviewProps) {
  return (
    <div className="mt-2 text-sm" role="status">
      <p>
        {plural(seen.rows, "row")} of {seen.source}
        {seen.first_day && seen.last_day && `, ${day(seen.first_day)} to ${day(seen.last_day)}`}.{" "}
        <b>Nothing is stored yet.</b>
      </p>
      {Object.entries(seen.totals).map(([field, totals]) => (
        <p key={field}>
          {field[0]?.toUpperCase()}
          {field.slice(1)}:{" "}
          {totals.map((total, arm) => `${total.toLocaleString("en-GB")} in ${LETTERS[arm]}`).join(", ")}
        </p>
      ))}
      {(seen.decimal_open || seen.decimal_mark) && (
        <DecimalMarkChoice open={seen.decimal_open} mark={seen.decimal_mark} choose={chooseMark} />
      )}
      {seen.ignored.length > 0 && <p className="quiet">Not used: {seen.ignored.join(", ")}</p>}
      {seen.changed > 0 && (
        <p>{plural(seen.changed, "figure")} of days and variants that are there already will be replaced by others.</p>
      )}
      <WrongLines
        wrong={seen.wrong_count}
        lines={seen.wrong.map((line) => ({ where: `line ${line.line}`, reason: line.reason }))}
        consequence="nothing can be stored before they are put right"
      />
      <button
        className="btn btn-sm btn-primary mt-1"
        disabled={storing || seen.wrong_count > 0 || seen.days === 0}
        onClick={store}
      >
        {storing ? "Storing…" : "Store the second count"}
      </button>
    </div>
  );
}
