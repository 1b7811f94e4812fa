import { scaleLinear } from "d3-scale";
import type { RegionArm } from "../api/regions";
import { niceTicks } from "../lib/axis";
import { signed } from "../lib/format";

const WIDTH = 340;
const HEIGHT = 214;
const FLOOR = HEIGHT - 24;

/** The effects that other draws of the same pairs show without any effect at all, and the one that was found. */
export function ChancePicture({ chance, lift }: { chance: NonNullable<RegionArm["chance"]>; lift: number }) {
  const edges = chance.edges;
  const domain: [number, number] = [Math.min(edges[0] ?? 0, lift), Math.max(edges.at(-1) ?? 0, lift)];
  const x = scaleLinear()
    .domain(domain)
    .range([10, WIDTH - 10]);
  const most = Math.max(...chance.counts, 1);
  const y = scaleLinear().domain([0, most]).range([FLOOR, 34]);
  const at = x(lift);
  const left = at > WIDTH / 2;
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="w-full"
      role="img"
      aria-label={`Effects of other draws of the same pairs, from ${signed(domain[0])} to ${signed(domain[1])}; the one found is ${signed(lift)}`}
    >
      {chance.counts.map((count, bin) => {
        const from = x(edges[bin] ?? 0);
        const to = x(edges[bin + 1] ?? 0);
        return (
          <rect
            key={bin}
            x={from + 0.4}
            width={Math.max(to - from - 0.8, 0.5)}
            y={y(count)}
            height={FLOOR - y(count)}
            fill="var(--color-neutral)"
            fillOpacity={0.35}
          />
        );
      })}
      <line x1={at} x2={at} y1={6} y2={FLOOR} stroke="var(--color-primary)" strokeWidth={2} />
      <text
        x={at + (left ? -6 : 6)}
        y={16}
        textAnchor={left ? "end" : "start"}
        fontSize={11}
        fill="var(--color-primary)"
      >
        {`as drawn: ${signed(lift)}`}
      </text>
      {niceTicks(domain, 4).map((tick) => (
        <text key={tick} x={x(tick)} y={HEIGHT - 6} textAnchor="middle" fontSize={11} fill="var(--color-neutral)">
          {signed(tick).replace(".0%", "%")}
        </text>
      ))}
    </svg>
  );
}
