/** Cells of what a spreadsheet puts on the clipboard: rows of tab-separated cells; commas or semicolons where there are no tabs. */
export function pastedCells(text: string): string[][] {
  const lines = text.replace(/\r/g, "").replace(/\n+$/, "").split("\n");
  const mark = text.includes("\t") ? "\t" : text.includes(";") ? ";" : /,.*,/.test(lines[0] ?? "") ? "," : "\t";
  return lines.map((line) => line.split(mark).map((cell) => cell.trim()));
}

/** Lay pasted cells over a grid from a corner; the grid grows downwards as needed and never sideways. */
export function layOver(grid: string[][], cells: string[][], row: number, column: number): string[][] {
  const width = grid[0]?.length ?? 0;
  const height = Math.max(grid.length, row + cells.length);
  return Array.from({ length: height }, (_, r) =>
    Array.from({ length: width }, (_, c) => cells[r - row]?.[c - column] ?? grid[r]?.[c] ?? ""),
  );
}

/** A grid as CSV text: the same door as a file. Empty rows are left out. */
export function gridAsCsv(header: string[], grid: string[][]): string {
  const quoted = (cell: string) => (/[",\n;]/.test(cell) ? `"${cell.replaceAll('"', '""')}"` : cell);
  const rows = grid.filter((cells) => cells.some((cell) => cell !== ""));
  // A column that nobody typed into is not there, as in a file that lacks it.
  const typed = header.map((_, column) => rows.length === 0 || rows.some((cells) => cells[column] !== ""));
  return [header, ...rows]
    .map((cells) =>
      cells
        .filter((_, column) => typed[column])
        .map(quoted)
        .join(","),
    )
    .join("\n");
}
