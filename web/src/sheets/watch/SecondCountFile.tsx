import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { sendSecondCount } from "../../api/client";
import { useStale } from "../../api/keys";
import { percentText, plural } from "../../lib/format";
import { capital } from "../../lib/metrics";
import { NumberField } from "../../parts/fields";
import { UploadPanel } from "../../parts/UploadPanel";
import { useEditing } from "../editing";
import { TotalsPreview } from "./TotalsPreview";

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
      fold="second-count-file"
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
              error={errorFor("count_tolerance")}
              note="common practice: a few per cent"
            />
          )}
        </>
      }
    >
      {seen && given && (
        <TotalsPreview
          seen={seen}
          whose={` of ${seen.source}`}
          nameOf={capital}
          storeLabel="Store the second count"
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
