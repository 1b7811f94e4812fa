import type { Adaptive } from "../../api/client";
import type { PlanLine } from "./RolloutLines";

type Policy = NonNullable<Adaptive["policy"]>;

/** Lines of a rollout at most; the last is everybody else's. */
const MAX_LINES = 20;
/** Characters after which a value of a combination may be cut. */
const CUT = 24;
const NOT_KNOWN = "(not known)";

/**
 * Each combination its best variant, the largest first, and everybody else the variant that is best for all. What a rule cannot
 * say, that a property is not known, is left to everybody else.
 */
export function tailoredLines({ choices, best }: Pick<Policy, "choices" | "best">): PlanLine[] {
  const named = choices
    .map((one) => ({ ...one, parts: partsOf(one.combination) }))
    .filter(({ parts }) => parts.every(({ value }) => value !== NOT_KNOWN))
    .slice(0, MAX_LINES - 1);
  return [
    ...named.map(({ letter, parts }) => ({
      name: parts
        .map(({ value }) => value)
        .join(", ")
        .slice(0, 80),
      letter,
      rules: [
        {
          kind: "all" as const,
          conditions: parts.map(({ property, value }) => ({
            attribute: property,
            operator: value.length < CUT ? ("is" as const) : ("starts_with" as const),
            values: [value],
            kind: "text" as const,
          })),
        },
      ],
    })),
    { name: "Everybody else", letter: best, rules: [] },
  ];
}

/** "device=phone & visitor=new", taken apart. */
function partsOf(combination: string): { property: string; value: string }[] {
  return combination.split(" & ").map((part) => {
    const at = part.indexOf("=");
    return { property: part.slice(0, at), value: part.slice(at + 1) };
  });
}
