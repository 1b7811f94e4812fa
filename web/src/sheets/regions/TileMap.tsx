import type { RegionPlan } from "../../api/regions";
import { groupsOf, groupTitle, levelsOf, type Group } from "./groups";

// The darker, the more is changed; what has more than usual stands out most.
const FILLS: Record<Group, string> = {
  withheld: "bg-primary",
  lower: "bg-primary/45",
  higher: "bg-primary",
  control: "bg-neutral/50",
  other: "bg-base-300",
};

/** A tile a region, in the order of the alphabet: no map of the world is needed to see who is in which group. */
export function TileMap({ plan, cells }: { plan: RegionPlan; cells: NonNullable<RegionPlan["cells"]> }) {
  const levels = levelsOf(plan);
  const groups = groupsOf(levels);
  const places = new Map<string, Group>(
    cells.pairs.flatMap((pair) => [[pair.treated, pair.arm] as const, [pair.control, "control"] as const]),
  );
  const group = (name: string) => places.get(name) ?? "other";
  const size = (one: Group) =>
    one === "other" ? cells.not_analysed.length : [...places.values()].filter((place) => place === one).length;
  const names = [...plan.regions, ...cells.not_analysed.filter((name) => !plan.regions.includes(name))].sort();
  return (
    <figure>
      <div
        role="img"
        aria-label={`Regions: ${groups.map((one) => `${size(one)} ${groupTitle(one, levels).toLowerCase()}`).join(", ")}`}
        className="grid grid-cols-[repeat(auto-fill,minmax(26px,1fr))] gap-[3px]"
      >
        {names.map((name) => (
          <span
            key={name}
            title={`${name}: ${groupTitle(group(name), levels).toLowerCase()}`}
            className={`h-[22px] rounded-sm ${FILLS[group(name)]}`}
          />
        ))}
      </div>
      <figcaption className="quiet mt-2 flex flex-wrap gap-4 text-sm">
        {groups.map((one) => (
          <span key={one} className="flex items-center gap-1.5">
            <span className={`size-3 rounded-sm ${FILLS[one]}`} aria-hidden /> {groupTitle(one, levels)}
          </span>
        ))}
        <span>a tile a region, by alphabet</span>
      </figcaption>
    </figure>
  );
}
