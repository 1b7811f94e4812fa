import type { Experiment } from "../api/client";
import { vocabulary } from "../api/vocabulary";
import { fromCanonical } from "../lib/numbers";

/** The scratchpad's state as it stands in the address. Numbers are canonical texts there. */
export interface PadArm {
  name: string;
  units: string;
  conversions: string;
  /** Totals, empty where they are not known. */
  cost: string;
  impressions: string;
  amount: string;
}

export interface PadRule {
  /** What is asked, by its name (`vocabulary.questions`). */
  question: Question;
  confidence: string;
  worthwhile: string;
  least: string;
  /** Planned weights, control first, such as 70:30; empty for an even split. */
  split: string;
  /** Whole days that the counts are of; empty where that is not known. */
  days: string;
}

export const MONEY = ["cost", "impressions", "amount"] as const;

export type Question = Experiment["question"];

const DEFAULT_QUESTION: Question = "superiority";

export const RULE: PadRule = {
  question: DEFAULT_QUESTION,
  confidence: "95",
  worthwhile: "5",
  least: "50",
  split: "",
  days: "",
};
export const BLANK: PadArm = { name: "", units: "", conversions: "", cost: "", impressions: "", amount: "" };

/** Arms are written as name~units~conversions, then ~cost~impressions~amount where there are any; control first. */
export function readArms(params: URLSearchParams): PadArm[] {
  const arms = params.getAll("arm").map((text) => {
    const [name = "", units = "", conversions = "", cost = "", impressions = "", amount = ""] = text.split("~");
    return { name, units, conversions, cost, impressions, amount };
  });
  while (arms.length < 2) arms.push({ ...BLANK });
  return arms.slice(0, 10);
}

function readRule(params: URLSearchParams): PadRule {
  return {
    question: readQuestion(params),
    confidence: params.get("confidence") ?? RULE.confidence,
    worthwhile: params.get("worthwhile") ?? RULE.worthwhile,
    least: params.get("least") ?? RULE.least,
    split: params.get("split") ?? RULE.split,
    days: params.get("days") ?? RULE.days,
  };
}

/** What is asked; the usual question where the address names none that there is. */
function readQuestion(params: URLSearchParams): Question {
  const named = params.get("question");
  return vocabulary.questions.some(({ name }) => name === named) ? (named as Question) : DEFAULT_QUESTION;
}

export function readCounts(params: URLSearchParams): { arms: PadArm[]; rule: PadRule } {
  return { arms: readArms(params), rule: readRule(params) };
}

export function writeCounts(arms: PadArm[], rule: PadRule): URLSearchParams {
  const params = new URLSearchParams();
  for (const arm of arms) {
    const counts = [arm.name.replaceAll("~", "-"), arm.units, arm.conversions];
    const money = MONEY.map((field) => arm[field]);
    params.append("arm", [...counts, ...(money.some(Boolean) ? money : [])].join("~"));
  }
  for (const field of ["question", "confidence", "worthwhile", "least", "split", "days"] as const) {
    if (rule[field] !== RULE[field]) params.set(field, rule[field]);
  }
  return params;
}

export interface PadSize {
  question: Question;
  rate: string;
  lift: string;
  traffic: string;
  share: string;
  variants: string;
  confidence: string;
  power: string;
}

export const SIZE: PadSize = {
  question: DEFAULT_QUESTION,
  rate: "5",
  lift: "10",
  traffic: "3000",
  share: "100",
  variants: "2",
  confidence: "95",
  power: "80",
};

export function readSize(params: URLSearchParams): PadSize {
  const read = Object.fromEntries(
    Object.entries(SIZE).map(([field, value]) => [field, params.get(field) ?? (value as string)]),
  );
  return { ...(read as unknown as PadSize), question: readQuestion(params) };
}

export function writeSize(size: PadSize): URLSearchParams {
  const params = new URLSearchParams({ ask: "size" });
  for (const [field, value] of Object.entries(size))
    if (value !== SIZE[field as keyof PadSize]) params.set(field, value as string);
  return params;
}

/** Weights of a split as typed ("70:30", "2 / 3 / 1"); null where they are not one number above 0 for each arm. */
export function parseSplit(text: string, arms: number): number[] | null {
  if (text.trim() === "") return Array.from({ length: arms }, () => 1);
  const weights = text.split(/[:/;]/).map((part) => fromCanonical(part) ?? NaN);
  return weights.length === arms && weights.every((weight) => weight > 0) ? weights : null;
}
