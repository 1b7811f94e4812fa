import { gridAsCsv, layOver, pastedCells } from "../../lib/paste";
import { useEditing } from "../editing";

interface Props {
  fields: readonly string[];
  /** What is typed, null while nothing is. */
  draft: readonly [string[][] | null, (cells: string[][]) => void, ...unknown[]];
  read: (file: File) => void;
}

/** A small grid to type into; a paste from a spreadsheet fills it from the cell that has the focus. */
export function CountsGrid({ fields, draft, read }: Props) {
  const { experiment } = useEditing();
  const [typed, setTyped] = draft;
  const empty = () =>
    experiment.variants.map((variant) => fields.map((field) => (field === "variant" ? variant.letter : "")));
  const grid = typed ?? empty();
  const setGrid = setTyped;
  const set = (row: number, column: number, text: string) => setGrid(layOver(grid, [[text]], row, column));
  const paste = (event: React.ClipboardEvent, row: number, column: number) => {
    const cells = pastedCells(event.clipboardData.getData("text"));
    if (cells.length === 1 && cells[0]?.length === 1) return;
    event.preventDefault();
    const first = cells[0]?.map((cell) => cell.toLowerCase()) ?? [];
    const headed = first.includes("day") || first.includes("date");
    setGrid(layOver(grid, headed ? cells.slice(1) : cells, row, column));
  };
  return (
    <div className="mt-3">
      <div className="max-h-64 overflow-auto">
        <table className="table table-xs w-auto">
          <thead>
            <tr>
              {fields.map((name) => (
                <th key={name}>{name.replaceAll("_", " ")}</th>
              ))}
            </tr>
          </thead>
          <tbody>
            {grid.map((cells, row) => (
              <tr key={row}>
                {cells.map((cell, column) => (
                  <td key={column} className="p-0.5">
                    <input
                      className={`input input-xs w-32 ${column > 1 ? "text-right" : ""}`}
                      aria-label={`${fields[column]?.replaceAll("_", " ")}, row ${row + 1}`}
                      placeholder={column === 0 ? "2026-03-31" : ""}
                      value={cell}
                      onChange={(event) => set(row, column, event.target.value)}
                      onPaste={(event) => paste(event, row, column)}
                    />
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <div className="mt-2 flex gap-2">
        <button className="btn btn-xs" onClick={() => setGrid([...grid, fields.map(() => "")])}>
          One row more
        </button>
        <button
          className="btn btn-xs btn-primary"
          onClick={() => read(new File([gridAsCsv([...fields], grid)], "typed counts.csv", { type: "text/csv" }))}
        >
          Preview
        </button>
        <span className="quiet text-sm">{grid.length} rows. Paste cells from a spreadsheet into the first field.</span>
      </div>
    </div>
  );
}
