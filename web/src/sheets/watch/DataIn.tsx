import { useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { previewFile, storeFile, type Preview } from "../../api/client";
import { keys } from "../../api/hooks";
import { count } from "../../lib/format";
import { FormError, Panel } from "../../parts/basics";
import { useEditing } from "../editing";
import { CountsGrid } from "./CountsGrid";
import { PreviewPanel } from "./PreviewPanel";

export type Columns = Record<string, number | null>;

/** Counts from a file or a grid: a preview first, then all of it at once. */
export function DataIn() {
  const { experiment } = useEditing();
  const primary = experiment.metrics.find((use) => use.role === "primary");
  const [metric, setMetric] = useState(primary?.key ?? "");
  const fields = experiment.metrics.find((use) => use.key === metric)?.fields ?? [];
  const cache = useQueryClient();
  const input = useRef<HTMLInputElement>(null);
  const [typing, setTyping] = useState(false);
  const [file, setFile] = useState<File | null>(null);
  const [columns, setColumns] = useState<Columns>({});
  const [preview, setPreview] = useState<Preview | null>(null);
  const [rows, setRows] = useState<number | null>(null);
  const [error, setError] = useState<Error | null>(null);
  const [announced, setAnnounced] = useState("");
  const [storing, setStoring] = useState(false);

  const asked = useRef(0);
  const read = async (chosen: File, wanted: Columns) => {
    const turn = ++asked.current;
    const latest = () => turn === asked.current;
    setError(null);
    setAnnounced("");
    setRows(0);
    setFile(chosen);
    setColumns(wanted);
    try {
      const seen = await previewFile(experiment.key, chosen, wanted, metric, (read) => latest() && setRows(read));
      // A column chosen meanwhile has asked for a newer preview.
      if (latest()) setPreview(seen);
    } catch (problem) {
      if (!latest()) return;
      setPreview(null);
      setError(problem as Error);
    } finally {
      if (latest()) setRows(null);
    }
  };
  const store = async (leaveOutWrong: boolean) => {
    if (!file || !preview) return;
    setStoring(true);
    try {
      const done = await storeFile(experiment.key, file, columns, metric, preview.digest, leaveOutWrong);
      setAnnounced(
        done.added + done.changed === 0
          ? "All of it was stored before; nothing has changed."
          : `Stored: ${done.added} day counts added, ${done.changed} changed.`,
      );
      setPreview(null);
      setTyping(false);
      for (const stale of [
        keys.evidence(experiment.key),
        keys.docket(),
        keys.ledger(experiment.key),
        keys.report(experiment.key),
      ]) {
        void cache.invalidateQueries({ queryKey: stale });
      }
    } catch (problem) {
      setError(problem as Error);
    } finally {
      setStoring(false);
    }
  };

  return (
    <Panel title="Upload counts" note={`${fields.join(", ").replaceAll("_", " ")}: one row a day and variant`}>
      {experiment.metrics.length > 1 && (
        <label className="mb-2 flex items-center gap-2 text-sm">
          <span className="quiet">Figures of</span>
          <select
            className="select select-sm w-72"
            value={metric}
            onChange={(event) => {
              setMetric(event.target.value);
              setPreview(null);
            }}
          >
            {experiment.metrics.map((use) => (
              <option key={use.key} value={use.key}>
                {use.name} ({use.role === "primary" ? "decides" : use.role})
              </option>
            ))}
          </select>
        </label>
      )}
      <div
        className="flex flex-wrap items-center gap-3 rounded-md border border-dashed border-base-300 px-4 py-3"
        onDragOver={(event) => event.preventDefault()}
        onDrop={(event) => {
          event.preventDefault();
          const dropped = event.dataTransfer.files[0];
          if (dropped) void read(dropped, {});
        }}
      >
        <button className="btn btn-sm btn-primary" onClick={() => input.current?.click()}>
          Choose a file
        </button>
        <span className="quiet text-sm">or drop a CSV here (comma, semicolon or tab)</span>
        <button className="btn btn-sm ml-auto" onClick={() => setTyping(!typing)} aria-expanded={typing}>
          Type or paste
        </button>
        <input
          ref={input}
          type="file"
          accept=".csv,.tsv,.txt,text/csv"
          className="hidden"
          aria-label="File of daily counts"
          onChange={(event) => {
            const chosen = event.target.files?.[0];
            if (chosen) void read(chosen, {});
            event.target.value = "";
          }}
        />
      </div>
      {rows !== null && (
        <div className="mt-3" role="status">
          <progress className="progress w-56" /> {rows > 0 ? `${count(rows)} rows read` : "Reading…"}
        </div>
      )}
      <p role="status" className="mt-2 font-semibold empty:hidden">
        {announced}
      </p>
      <FormError error={error} />
      {typing && <CountsGrid key={metric} fields={fields} read={(typed) => void read(typed, {})} />}
      {preview && file && (
        <PreviewPanel
          preview={preview}
          storing={storing}
          fileName={file.name}
          choose={(field, index) => void read(file, { ...preview.columns, ...columns, [field]: index })}
          store={(leaveOutWrong) => void store(leaveOutWrong)}
          discard={() => setPreview(null)}
        />
      )}
    </Panel>
  );
}
