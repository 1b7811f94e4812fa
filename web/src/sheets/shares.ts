import type { Experiment } from "../api/client";
import { rate } from "../lib/format";

/** What part of those included each variant gets, in the order of the variants. */
export function shareTexts({ variants }: Pick<Experiment, "variants">): string[] {
  const weights = variants.map((variant) => variant.weight ?? 1);
  const total = weights.reduce((sum, weight) => sum + weight, 0);
  return weights.map((weight) => rate(weight / total, 1).replace(".0%", "%"));
}
