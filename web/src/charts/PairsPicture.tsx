import { scaleLinear } from "d3-scale";
import type { RegionArm } from "../api/regions";
import { niceTicks } from "../lib/axis";
import { signed } from "../lib/format";

const SHOWN = 16;
const WIDTH = 340;
const ROW = 12;
const INSET = 10;

/** What each pair shows, from the largest loss on, with how far such a pair goes apart by itself. */
export function PairsPicture({ pairs }: { pairs: RegionArm["pair_by_pair"] }) {
  const ordered = [...pairs].sort((one, other) => one.lift - other.lift);
  const step = Math.max(ordered.length / SHOWN, 1);
  const rows = Array.from({ length: Math.min(ordered.length, SHOWN) }, (_, at) => ordered[Math.floor(at * step)]!);
  const ends = rows.flatMap((row) => [row.low ?? row.lift, row.high ?? row.lift]);
  const domain: [number, number] = [Math.max(Math.min(...ends, 0), -1), Math.min(Math.max(...ends, 0), 1)];
  const x = scaleLinear()
    .domain(domain)
    .range([INSET, WIDTH - INSET])
    .clamp(true);
  const height = rows.length * ROW + 26;
  const below = pairs.filter((pair) => pair.lift < 0).length;
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${height}`}
      className="w-full"
      role="img"
      aria-label={`In ${below} of ${pairs.length} pairs the region with the change had less than its partner`}
    >
      <line x1={x(0)} x2={x(0)} y1={0} y2={height - 18} stroke="var(--color-base-content)" />
      {rows.map((row, at) => {
        const clear = row.low !== null && row.high !== null && (row.high < 0 || row.low > 0);
        const colour = clear ? (row.lift < 0 ? "var(--behind)" : "var(--ahead)") : "var(--open)";
        const y = at * ROW + ROW / 2 + 2;
        return (
          <g key={row.treated}>
            <title>{`${row.treated} against ${row.control}: ${signed(row.lift)}`}</title>
            {row.low !== null && row.high !== null && (
              <line x1={x(row.low)} x2={x(row.high)} y1={y} y2={y} stroke={colour} strokeWidth={2.5} />
            )}
            <rect
              x={-3.2}
              y={-3.2}
              width={6.4}
              height={6.4}
              transform={`translate(${x(row.lift)} ${y}) rotate(45)`}
              fill="var(--color-base-100)"
              stroke={colour}
              strokeWidth={1.5}
            />
          </g>
        );
      })}
      {niceTicks(domain, 4).map((tick) => (
        <text key={tick} x={x(tick)} y={height - 4} textAnchor="middle" fontSize={11} fill="var(--color-neutral)">
          {signed(tick).replace(".0%", "%")}
        </text>
      ))}
    </svg>
  );
}
