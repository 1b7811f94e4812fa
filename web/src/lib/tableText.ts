export type Cell = string | number;

/** Rows as tab-separated text. What a spreadsheet would run as a formula gets an apostrophe in front. */
export function tableText(head: readonly string[], rows: readonly (readonly Cell[])[]): string {
  return [head, ...rows.map((row) => row.map(plain))].map((cells) => cells.join("\t")).join("\n");
}

function plain(cell: Cell): Cell {
  if (typeof cell === "number") return cell;
  const text = cell.replace(/[\t\r\n]+/g, " ");
  return /^[=+\-@]/.test(text) ? `'${text}` : text;
}
