import { useRef, useState } from "react";
import { gridAsCsv, isHeaded, layByName, layOver, pastedCells, type Table } from "../../lib/paste";
import { useEditing } from "../editing";

interface Props {
  fields: readonly string[];
  /** What is typed, null while nothing is. */
  draft: readonly [Table | null, (table: Table) => void, ...unknown[]];
  read: (file: File) => void;
}

/** Rows and columns that a key goes on by; to the sides only from the end of what is typed in a cell. */
function step({ key, currentTarget: field }: React.KeyboardEvent<HTMLInputElement>): [number, number] | null {
  if (key === "ArrowUp") return [-1, 0];
  if (key === "ArrowDown" || key === "Enter") return [1, 0];
  const [from, to, end] = [field.selectionStart, field.selectionEnd, field.value.length];
  const whole = from === 0 && to === end; // as it is after a step
  if (key === "ArrowLeft" && (whole || to === 0)) return [0, -1];
  if (key === "ArrowRight" && (whole || from === end)) return [0, 1];
  return null;
}

/**
 * A small grid to type into; a paste from a spreadsheet fills it from the cell that has the focus, or by its headings. The cells of one
 * row at a time are stops of the Tab key.
 */
export function CountsGrid({ fields, draft, read }: Props) {
  const { experiment } = useEditing();
  const [typed, setTyped] = draft;
  const table = useRef<HTMLTableElement>(null);
  const [current, setCurrent] = useState(0);
  const empty = (): Table => ({
    head: fields.map((name) => name.replaceAll("_", " ")),
    cells: experiment.variants.map((variant) => fields.map((field) => (field === "variant" ? variant.letter : ""))),
  });
  const { head, cells } = typed ?? empty();
  const lay = (block: string[][], row: number, column: number) =>
    setTyped({ head, cells: layOver(cells, block, row, column) });
  const paste = (event: React.ClipboardEvent, row: number, column: number) => {
    const block = pastedCells(event.clipboardData.getData("text"));
    if (block.length === 1 && block[0]?.length === 1) return;
    event.preventDefault();
    if (!isHeaded(block)) return lay(block, row, column);
    const [names = [], ...rows] = block;
    setTyped(typed ? layByName(typed, block, row) : { head: names, cells: rows });
  };
  const blank = () => [...cells, head.map(() => "")];
  const go = (event: React.KeyboardEvent<HTMLInputElement>, row: number, column: number) => {
    const by = step(event);
    if (!by || event.nativeEvent.isComposing) return;
    const next = table.current?.rows[row + by[0] + 1]?.cells[column + by[1]]?.querySelector("input");
    event.preventDefault();
    next?.focus();
    next?.select();
  };
  return (
    <div className="mt-3">
      <div className="max-h-64 overflow-auto">
        <table ref={table} className="table table-xs w-auto">
          <caption className="sr-only">Counts to type or paste; the arrow keys go from cell to cell</caption>
          <thead>
            <tr>
              {head.map((name, column) => (
                <th key={column} scope="col">
                  {name}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {cells.map((line, row) => (
              <tr key={row}>
                {line.map((cell, column) => (
                  <td key={column} className="p-0.5">
                    <input
                      className={`input input-xs w-32 ${/^[\d.,\s%]+$/.test(cell) ? "text-right" : ""}`}
                      aria-label={`${head[column]}, row ${row + 1}`}
                      placeholder={column === 0 ? "2026-03-31" : ""}
                      tabIndex={row === Math.min(current, cells.length - 1) ? 0 : -1}
                      value={cell}
                      onFocus={() => setCurrent(row)}
                      onKeyDown={(event) => go(event, row, column)}
                      onChange={(event) => lay([[event.target.value]], row, column)}
                      onPaste={(event) => paste(event, row, column)}
                    />
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <div className="mt-2 flex flex-wrap gap-2">
        <button type="button" className="btn btn-xs" onClick={() => setTyped({ head, cells: blank() })}>
          One row more
        </button>
        <button
          type="button"
          className="btn btn-xs btn-primary"
          onClick={() => read(new File([gridAsCsv(head, cells)], "typed counts.csv", { type: "text/csv" }))}
        >
          Preview
        </button>
        <span className="quiet text-sm">
          {cells.length} rows. Paste cells from a spreadsheet, with their headings too: which column is which is read
          from them. Arrow keys and Enter go from cell to cell.
        </span>
      </div>
    </div>
  );
}
