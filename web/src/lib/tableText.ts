import type { Reading } from "../api/client";

const HEAD = ["lift", "lift low", "lift high", "p", "p adjusted"];

type Cell = string | number;

/** Rows as tab-separated text. What a spreadsheet would run as a formula gets an apostrophe in front. */
export function tableText(head: string[], rows: Cell[][]): string {
  return [head, ...rows.map((row) => row.map(plain))].map((cells) => cells.join("\t")).join("\n");
}

function plain(cell: Cell): Cell {
  if (typeof cell === "number") return cell;
  const text = cell.replace(/[\t\r\n]+/g, " ");
  return /^[=+\-@]/.test(text) ? `'${text}` : text;
}

/** The variant table as tab-separated text. */
export function variantTableText(reading: Reading): string {
  const rows = reading.arms.map((arm) => {
    const comparison =
      reading.verdict === "unsound" ? undefined : reading.comparisons.find((c) => c.letter === arm.letter);
    const high = comparison?.lift.high_open ? "inf" : comparison?.lift.high;
    const figures = comparison
      ? [comparison.lift.estimate, comparison.lift.low, high, comparison.pvalue, comparison.adjusted_pvalue]
      : [];
    return [arm.letter, arm.name, arm.units, arm.total, arm.rate.estimate, ...figures].map((cell) => cell ?? "");
  });
  const counted = reading.kind === "rate" ? ["conversions", "rate"] : ["total", reading.kind];
  return tableText(["variant", "name", "units", ...counted, ...HEAD], rows);
}
