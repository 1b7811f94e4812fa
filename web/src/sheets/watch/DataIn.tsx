import { useState } from "react";
import { NOTHING_CHOSEN, type MetricUse, type Preview } from "../../api/client";
import { count } from "../../lib/format";
import { useDraft } from "../../lib/drafts";
import type { Table } from "../../lib/paste";
import { Panel } from "../../parts/basics";
import { UploadPanel } from "../../parts/UploadPanel";
import { useEditing } from "../editing";
import { CountsGrid } from "./CountsGrid";
import { PreviewPanel } from "./PreviewPanel";
import { useCountsFile } from "./useCountsFile";

/** Counts from a file or a grid: a preview first, then all of it at once. */
export function DataIn() {
  const { experiment } = useEditing();
  const countable = experiment.metrics.filter((use) => use.fields.length > 0);
  if (experiment.metrics.length > 0 && countable.length === 0) {
    return (
      <Panel title="Upload counts">
        <p>These metrics cannot be had from daily sums: bring in a file of units, or events.</p>
      </Panel>
    );
  }
  return <CountsIn countable={countable} />;
}

/** Said where a file may leave the squares out. */
function mayLackSquares(fields: readonly string[]): string {
  const squares = fields.some((field) => field.includes("squares")) && !fields.includes("before");
  return squares ? "; with totals only, days are the replicates" : "";
}

function CountsIn({ countable }: { countable: MetricUse[] }) {
  const { experiment } = useEditing();
  const first = countable.find((use) => use.role === "primary") ?? countable[0];
  const [metric, setMetric] = useState(first?.key ?? "");
  const draft = useDraft<Table>(`table of counts of ${metric}`);
  const [typed, setTyped] = draft;
  const [typing, setTyping] = useState(typed !== null);
  const fields = countable.find((use) => use.key === metric)?.fields ?? [];
  const counts = useCountsFile(experiment.key, metric, () => [setTyping(false), setTyped(null)]);
  const { file, preview } = counts;
  return (
    <UploadPanel
      fold={experiment.data_from === "events" ? "counts-file" : undefined}
      title="Upload counts"
      note={`${fields.join(", ").replaceAll("_", " ")}: one row a day and variant; of weeks or all days with from and to${mayLackSquares(fields)}`}
      holds={
        experiment.metrics.length > 1 && (
          <MetricChoice
            metrics={countable}
            metric={metric}
            choose={(next) => {
              setMetric(next);
              counts.discard();
            }}
          />
        )
      }
      label="File of daily counts"
      button="Choose a file"
      accept=".csv,.tsv,.txt,text/csv"
      pick={(chosen) => void counts.read(chosen, NOTHING_CHOSEN)}
      error={counts.error}
      actions={
        <>
          <span className="quiet text-sm">or drop a CSV here (comma, semicolon or tab)</span>
          <button
            type="button"
            className="btn btn-sm ml-auto"
            onClick={() => setTyping(!typing)}
            aria-expanded={typing}
          >
            Type or paste
          </button>
        </>
      }
    >
      {counts.rows !== null && (
        <div className="mt-3" role="status">
          <progress className="progress w-56" /> {counts.rows > 0 ? `${count(counts.rows)} rows read` : "Reading…"}
        </div>
      )}
      <p role="status" className="mt-2 font-semibold empty:hidden">
        {counts.announced}
      </p>
      {typing && (
        <CountsGrid
          key={metric}
          fields={fields}
          draft={draft}
          read={(typed) => void counts.read(typed, NOTHING_CHOSEN)}
        />
      )}
      {preview && file && (
        <PreviewPanel
          preview={preview}
          storing={counts.storing}
          fileName={file.name}
          choose={(field, index) =>
            void counts.read(file, {
              ...counts.chosen,
              columns: { ...without(index, { ...preview.columns, ...counts.chosen.columns }), [field]: index },
            })
          }
          chooseMark={(mark) => void counts.read(file, { ...counts.chosen, mark })}
          store={(leaveOutWrong) => void counts.store(leaveOutWrong)}
          discard={counts.discard}
        />
      )}
    </UploadPanel>
  );
}

interface MetricChoiceProps {
  metrics: MetricUse[];
  metric: string;
  choose: (metric: string) => void;
}

function MetricChoice({ metrics, metric, choose }: MetricChoiceProps) {
  return (
    <label className="flex max-w-full items-center gap-2">
      <span className="quiet shrink-0">Figures of</span>
      <select className="select select-sm w-72 min-w-0" value={metric} onChange={(event) => choose(event.target.value)}>
        {metrics.map((use) => (
          <option key={use.key} value={use.key}>
            {use.name} ({use.role})
          </option>
        ))}
      </select>
    </label>
  );
}

/** The columns of the fields, but that none is in the one that is given away. */
function without(index: number | null, columns: Preview["columns"]): Preview["columns"] {
  return Object.fromEntries(Object.entries(columns).map(([field, at]) => [field, at === index ? null : at]));
}
