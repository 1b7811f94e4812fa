import type { Condition, Definition, EventFilter, Measure } from "../api/client";
import { kindNamed, vocabulary } from "../api/vocabulary";

export type Kind = Definition["kind"];
export type Total = NonNullable<Definition["totals"]>[number];

type Operator = NonNullable<Condition["operator"]>;
type ValueKind = NonNullable<Condition["kind"]>;

export const VALUE_KINDS: Record<ValueKind, string> = {
  text: "text",
  number: "number",
  true_false: "true or false",
  date: "date",
  version: "version",
};

export const OPERATORS = Object.fromEntries(
  vocabulary.value_kinds.map((kind) => [kind.name, kind.operators.map((one) => one.name)]),
) as Record<ValueKind, Operator[]>;

export const OPERATOR_NAMES = Object.fromEntries(
  vocabulary.value_kinds.flatMap((kind) => kind.operators.map((one) => [one.name, one.title])),
) as Record<Operator, string>;

export const NO_EVENT: EventFilter = { event: "", conditions: [], or_events: [], groups: [] };
/** Operators that take several values, of which one must hold. */
export const OF_MANY: Operator[] = ["any_of", "contains", "starts_with", "ends_with"];
export const NEW_CONDITION: Condition = { attribute: "", operator: "is", values: [""], kind: "text" };

export function emptyMeasure(kind: Measure["kind"], events: EventFilter = NO_EVENT): Measure {
  return { kind, events, amount_of: "", cap: null, first_only: false };
}

export const FIRST: Definition = {
  kind: "conversion",
  measure: emptyMeasure("conversion"),
  denominator: null,
  steps: [],
  totals: [],
  within_hours: null,
  window_hours: null,
  good_direction: "up",
  unit: "percent",
  currency: "",
};

const NO_COUNTING = { measure: null, denominator: null, steps: [], within_hours: null, window_hours: null };
const FIRST_TOTALS: Total[] = [
  { of: "cost", metric: "" },
  { of: "metric", metric: "" },
];

/** The definition turned to another kind, keeping what still has a meaning. */
export function ofKind(definition: Definition, kind: Kind): Definition {
  const events = definition.measure?.events ?? definition.steps?.[0] ?? NO_EVENT;
  const { is_rate: isRate, parts, measured_as: measuredAs } = kindNamed(kind);
  const shareless = definition.unit === "percent" || definition.unit === "per_thousand";
  const unit: Definition["unit"] = isRate ? "percent" : shareless ? "number" : definition.unit;
  const shared: Definition = {
    ...definition,
    kind,
    unit,
    currency: unit === "money" ? definition.currency : "",
    totals: [],
  };
  if (parts.includes("totals")) return { ...shared, ...NO_COUNTING, totals: FIRST_TOTALS };
  if (parts.includes("steps")) return { ...shared, measure: null, denominator: null, steps: [events, NO_EVENT] };
  if (parts.includes("denominator"))
    return { ...shared, measure: emptyMeasure("count", events), denominator: emptyMeasure("count"), steps: [] };
  return { ...shared, measure: emptyMeasure(measuredAs as Measure["kind"], events), denominator: null, steps: [] };
}
