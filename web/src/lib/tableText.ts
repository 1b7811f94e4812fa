import type { Reading } from "../api/client";

const HEAD = ["lift", "lift low", "lift high", "p", "p adjusted"];

/** The variant table as tab-separated text. A name that a spreadsheet would run as a formula gets an apostrophe in front. */
export function tableText(reading: Reading): string {
  const rows = reading.arms.map((arm) => {
    const comparison =
      reading.verdict === "unsound" ? undefined : reading.comparisons.find((c) => c.letter === arm.letter);
    const high = comparison?.lift.high_open ? "inf" : comparison?.lift.high;
    const figures = comparison
      ? [comparison.lift.estimate, comparison.lift.low, high, comparison.pvalue, comparison.adjusted_pvalue]
      : [];
    const name = /^[=+\-@]/.test(arm.name) ? `'${arm.name}` : arm.name.replaceAll("\t", " ");
    return [arm.letter, name, arm.units, arm.total, arm.rate.estimate, ...figures].map((cell) => cell ?? "");
  });
  const counted = reading.kind === "rate" ? ["conversions", "rate"] : ["total", reading.kind];
  return [["variant", "name", "units", ...counted, ...HEAD], ...rows].map((cells) => cells.join("\t")).join("\n");
}
