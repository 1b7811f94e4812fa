import type { Preview } from "../../api/client";
import { count, day, plural } from "../../lib/format";
import { useEditing } from "../editing";
import { DataTable } from "../../parts/DataTable";
import { DecimalMarkChoice } from "./DecimalMarkChoice";

interface Props {
  preview: Preview;
  storing: boolean;
  fileName: string;
  choose: (field: string, index: number | null) => void;
  chooseMark: (mark: "." | ",") => void;
  store: (leaveOutWrong: boolean) => void;
  discard: () => void;
}

/** What the file holds and what storing it would do. Nothing is stored yet. */
export function PreviewPanel({ preview, storing, fileName, choose, chooseMark, store, discard }: Props) {
  const unmatched = preview.fields.filter((field) => preview.columns[field] === null);
  const right = preview.rows - preview.wrong_count;
  return (
    <section aria-label="Preview" className="mt-3 border-t border-base-300 pt-3">
      <p>
        <b>{fileName}</b>, of {preview.metric}: {plural(preview.rows, "row")}, {preview.delimiter}, {preview.encoding}
        {preview.first_day && preview.last_day && `, ${day(preview.first_day)} to ${day(preview.last_day)}`}.{" "}
        <b>Nothing is stored yet.</b>
        {preview.seen_before && " This file was stored before."}
      </p>
      <div className="my-2 flex flex-wrap gap-4">
        {/* Weeks and totals have a first day and a last; without the first a row is of one day. */}
        {[...("first_day" in preview.columns ? ["first_day"] : []), ...preview.fields].map((field) => (
          <label key={field} className="text-sm">
            <span className="quiet block">{asked(field, preview)} column</span>
            <select
              className={`select select-xs w-36 ${unmatched.includes(field) ? "select-error" : ""}`}
              value={preview.columns[field] ?? ""}
              onChange={(event) => choose(field, event.target.value === "" ? null : Number(event.target.value))}
            >
              {field === "first_day" && <option value="">none: one day a row</option>}
              {field !== "first_day" && preview.columns[field] === null && <option value="">choose…</option>}
              {preview.header.map((name, index) => (
                <option key={index} value={index}>
                  {name || `column ${index + 1}`}
                </option>
              ))}
            </select>
          </label>
        ))}
        {(preview.decimal_open || preview.decimal_mark) && (
          <DecimalMarkChoice open={preview.decimal_open} mark={preview.decimal_mark} choose={chooseMark} />
        )}
      </div>
      {unmatched.length > 0 ? (
        <p className="tone-warning">
          Say which column holds {unmatched.join(" and ").replaceAll("_", " ")}; its name does not say.
        </p>
      ) : (
        <Effect preview={preview} />
      )}
      {preview.wrong_count > 0 && unmatched.length === 0 && <WrongRows preview={preview} />}
      <div className="mt-3 flex flex-wrap gap-2">
        {unmatched.length === 0 && right > 0 && (
          <button className="btn btn-sm btn-primary" disabled={storing} onClick={() => store(preview.wrong_count > 0)}>
            {storing && <span className="loading loading-spinner loading-xs" aria-label="Storing" />}
            {preview.wrong_count > 0
              ? `Store the ${plural(right, "right row")}, leave out ${count(preview.wrong_count)}`
              : `Store ${plural(right, "row")}`}
          </button>
        )}
        <button className="btn btn-sm" onClick={discard}>
          Store nothing
        </button>
      </div>
    </section>
  );
}

/** What a column is asked for; the day is the last one where rows are of several. */
function asked(field: string, preview: Preview): string {
  if (field === "first_day") return "a row begins on the day in";
  const last = field === "day" && preview.columns.first_day != null;
  return `${last ? "last day" : field.replaceAll("_", " ")} is in`;
}

function Effect({ preview }: { preview: Preview }) {
  const { experiment } = useEditing();
  const { difference } = preview;
  return (
    <>
      <p>
        {preview.totals
          .map(
            ([units = 0, total = 0], index) =>
              `${experiment.variants[index]?.letter}: ${count(total)} ${preview.kind === "rate" ? "of" : "over"} ${count(units)}`,
          )
          .join(" · ")}
        {difference &&
          ` — ${count(difference.added)} day counts new, ${count(difference.changed)} changed, ${count(difference.unchanged)} as they are.`}
      </p>
      {preview.remarks.map((remark) => (
        <p key={remark} className="tone-warning text-sm">
          {remark}
        </p>
      ))}
    </>
  );
}

function WrongRows({ preview }: { preview: Preview }) {
  return (
    <div className="mt-2">
      <p className="font-semibold text-error">
        {preview.wrong_count === 1 ? "1 row is wrong" : `${count(preview.wrong_count)} rows are wrong`}
      </p>
      <DataTable
        label="Wrong rows"
        rows={preview.wrong}
        rowKey={(row) => `${row.line}-${row.column}`}
        maxHeight="14rem"
        columns={[
          { name: "Line", value: (row) => row.line, cell: (row) => row.line },
          { name: "Column", align: "left", value: (row) => row.column, cell: (row) => row.column },
          {
            name: "Value",
            align: "left",
            className: "min-w-24 break-words",
            value: (row) => row.value,
            cell: (row) => row.value,
          },
          {
            name: "Why it is not accepted",
            align: "left",
            value: (row) => row.reason,
            cell: (row) => row.reason,
          },
        ]}
      />
      {preview.wrong_count > preview.wrong.length && (
        <p className="quiet text-sm">The first {count(preview.wrong.length)} are listed.</p>
      )}
    </div>
  );
}
