import type { Condition, Definition, EventFilter, Measure } from "../api/client";

export type Kind = Definition["kind"];

export const KIND_NAMES: Record<Kind, string> = {
  conversion: "Conversion",
  count: "Count",
  amount: "Amount",
  ratio: "Ratio",
  funnel: "Funnel",
};

export const KIND_NOTES: Record<Kind, string> = {
  conversion: "share of units that did it at least once",
  count: "how often, averaged over units",
  amount: "the sum of a property, averaged over units",
  ratio: "one sum divided by another",
  funnel: "share of units that went through all steps in order",
};

type Operator = NonNullable<Condition["operator"]>;
type ValueKind = NonNullable<Condition["kind"]>;

export const VALUE_KINDS: Record<ValueKind, string> = {
  text: "text",
  number: "number",
  true_false: "true or false",
  date: "date",
  version: "version",
};

export const OPERATORS: Record<ValueKind, Operator[]> = {
  text: ["is", "is_not", "any_of", "contains", "starts_with", "is_set"],
  number: ["is", "is_not", "any_of", "greater", "less", "between", "is_set"],
  true_false: ["is", "is_not", "is_set"],
  date: ["is", "is_not", "any_of", "greater", "less", "between", "is_set"],
  version: ["is", "is_not", "any_of", "greater", "less", "between", "is_set"],
};

export const OPERATOR_NAMES: Record<Operator, string> = {
  is: "is",
  is_not: "is not",
  any_of: "is any of",
  contains: "contains",
  starts_with: "starts with",
  greater: "is greater than",
  less: "is less than",
  between: "is between",
  is_set: "is set",
};

const NO_EVENT: EventFilter = { event: "", conditions: [] };

export function emptyMeasure(kind: Measure["kind"], events: EventFilter = NO_EVENT): Measure {
  return { kind, events, amount_of: "", cap: null };
}

export const FIRST: Definition = {
  kind: "conversion",
  measure: emptyMeasure("conversion"),
  denominator: null,
  steps: [],
  window_hours: null,
  good_direction: "up",
  unit: "percent",
  currency: "",
};

/** The definition turned to another kind, keeping what still has a meaning. */
export function ofKind(definition: Definition, kind: Kind): Definition {
  const events = definition.measure?.events ?? definition.steps?.[0] ?? NO_EVENT;
  const isRate = kind === "conversion" || kind === "funnel";
  const unit: Definition["unit"] = isRate ? "percent" : definition.unit === "percent" ? "number" : definition.unit;
  const shared: Definition = { ...definition, kind, unit, currency: unit === "money" ? definition.currency : "" };
  if (kind === "funnel") return { ...shared, measure: null, denominator: null, steps: [events, NO_EVENT] };
  if (kind === "ratio")
    return { ...shared, measure: { ...emptyMeasure("count", events) }, denominator: emptyMeasure("count"), steps: [] };
  return { ...shared, measure: emptyMeasure(kind, events), denominator: null, steps: [] };
}
