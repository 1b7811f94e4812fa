/** Cells of what a spreadsheet puts on the clipboard: rows of tab-separated cells; commas or semicolons where there are no tabs. */
export function pastedCells(text: string): string[][] {
  const lines = text.replace(/\r/g, "").replace(/\n+$/, "").split("\n");
  const mark = text.includes("\t") ? "\t" : text.includes(";") ? ";" : /,.*,/.test(lines[0] ?? "") ? "," : "\t";
  return lines.map((line) => line.split(mark).map((cell) => cell.trim()));
}

/** Whether the first row names the columns: words above figures. */
export function isHeaded(cells: string[][]): boolean {
  const [first = [], second = []] = cells;
  return (
    first.length > 1 && first.every((cell) => cell !== "" && !/\d/.test(cell)) && second.some((cell) => /\d/.test(cell))
  );
}

/** A name of a column without its case, its accents and what is no letter. */
export const bareName = (name: string): string =>
  name
    .normalize("NFKD")
    .replace(/\p{M}/gu, "")
    .toLowerCase()
    .replace(/[^\p{L}]+/gu, " ")
    .trim();

export interface Table {
  head: string[];
  cells: string[][];
}

/** Lay a headed paste over a table from a row on, each column below its name; a name that is not there yet is one column more. */
export function layByName(table: Table, [names = [], ...rows]: string[][], row: number): Table {
  const head = [...table.head];
  const places: number[] = [];
  for (const name of names) {
    const known = head.findIndex((one, place) => !places.includes(place) && bareName(one) === bareName(name));
    places.push(known < 0 ? head.push(name) - 1 : known);
  }
  const cells = Array.from({ length: Math.max(table.cells.length, row + rows.length) }, (_, r) =>
    head.map((_, c) => rows[r - row]?.[places.indexOf(c)] ?? table.cells[r]?.[c] ?? ""),
  );
  return { head, cells };
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
