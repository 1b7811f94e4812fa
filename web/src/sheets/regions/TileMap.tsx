import type { RegionPlan } from "../../api/regions";

const GROUPS = {
  withheld: { title: "Withheld", fill: "bg-primary" },
  control: { title: "As usual", fill: "bg-neutral/50" },
  other: { title: "Not analysed", fill: "bg-base-300" },
} as const;

/** A tile a region, in the order of the alphabet: no map of the world is needed to see who is in which group. */
export function TileMap({ plan, cells }: { plan: RegionPlan; cells: NonNullable<RegionPlan["cells"]> }) {
  const withheld = new Set(cells.pairs.map((pair) => pair.withheld));
  const control = new Set(cells.pairs.map((pair) => pair.control));
  const group = (name: string) => (withheld.has(name) ? "withheld" : control.has(name) ? "control" : "other");
  const names = [...plan.regions, ...cells.not_analysed.filter((name) => !plan.regions.includes(name))].sort();
  return (
    <figure>
      <div
        role="img"
        aria-label={`${withheld.size} regions withheld, ${control.size} as usual, ${cells.not_analysed.length} not analysed`}
        className="grid grid-cols-[repeat(auto-fill,minmax(26px,1fr))] gap-[3px]"
      >
        {names.map((name) => (
          <span
            key={name}
            title={`${name}: ${GROUPS[group(name)].title.toLowerCase()}`}
            className={`h-[22px] rounded-sm ${GROUPS[group(name)].fill}`}
          />
        ))}
      </div>
      <figcaption className="quiet mt-2 flex flex-wrap gap-4 text-sm">
        {Object.entries(GROUPS).map(([key, { title, fill }]) => (
          <span key={key} className="flex items-center gap-1.5">
            <span className={`size-3 rounded-sm ${fill}`} aria-hidden /> {title}
          </span>
        ))}
        <span>a tile a region, by alphabet</span>
      </figcaption>
    </figure>
  );
}
