import type { Bounds, RegionArm, RegionPlan, RegionReading, SpendingDay } from "../../api/regions";
import { capital } from "./words";

export type Group = SpendingDay["edited"][number];
export type Levels = Partial<Record<Group, number>>;

/** "50%", as a level is written. */
export function level(value: number): string {
  return `${Number((value * 100).toFixed(2))}%`;
}

/** The levels of the groups that have one of their own. */
export function levelsOf(plan: Pick<RegionPlan, "lower" | "higher">): Levels {
  if (plan.lower === null || plan.higher === null) return { withheld: 0 };
  return { lower: plan.lower, higher: plan.higher };
}

/** The levels of what is read. */
export function levelsRead(arms: readonly Pick<RegionArm, "arm" | "level">[]): Levels {
  return Object.fromEntries(arms.map((one) => [one.arm, one.level]));
}

/** The groups of a test in the order of its calendar. */
export function groupsOf(levels: Levels): Group[] {
  return [...(Object.keys(levels) as Group[]), "control", "other"];
}

/** What a group is called; those with a level of their own by it. */
export function groupTitle(group: Group, levels: Levels): string {
  const own = levels[group];
  switch (group) {
    case "withheld":
      return "Withheld";
    case "lower":
      return own === undefined ? "Less" : `Less (${level(own)})`;
    case "higher":
      return own === undefined ? "More" : `More (${level(own)})`;
    case "control":
      return "As usual";
    case "other":
      return "Not analysed";
  }
}

/** Where an arm's spending was changed: "where it is withheld", "where 50% is spent". */
export function whereChanged({ arm, level: own }: Pick<RegionArm, "arm" | "level">): string {
  return arm === "withheld" ? "where it is withheld" : `where ${level(own)} is spent`;
}

/** The incremental return of each arm, where there is one. */
export function returnLines(shown: Pick<RegionReading, "arms">): { name: string; incremental: Bounds }[] {
  return shown.arms.flatMap((arm) =>
    arm.primary?.incremental ? [{ name: capital(arm.step), incremental: arm.primary.incremental }] : [],
  );
}
