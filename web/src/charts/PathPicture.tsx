import { scaleLinear } from "d3-scale";
import type { Looks } from "../api/client";
import { useWidth } from "../lib/useWidth";

const SIDE = { left: 40, right: 16, top: 10, bottom: 38 };
const LABEL = 34;
const MOST = 6;

/** The statistic at each look against the boundary, taken looks solid, those to come hollow. */
export function PathPicture({ looks, height = 200 }: { looks: Looks; height?: number }) {
  const [holder, width] = useWidth(420);
  const boundary = [...looks.taken, ...looks.planned].flatMap((look) =>
    look.critical_value === null ? [] : [{ at: look.information, z: look.critical_value }],
  );
  const path = looks.taken.flatMap((look) =>
    look.statistic === null ? [] : [{ at: look.information, z: look.statistic }],
  );
  const top = Math.min(Math.max(...boundary.map((p) => p.z), ...path.map((p) => Math.abs(p.z)), 3) * 1.1, MOST);
  const end = Math.max(1, ...boundary.map((p) => p.at), ...path.map((p) => p.at));
  const x = scaleLinear([0, end], [SIDE.left, width - SIDE.right]);
  const y = scaleLinear([-top, top], [height - SIDE.bottom, SIDE.top]).clamp(true);
  const line = (points: { at: number; z: number }[]) => points.map((p) => `${x(p.at)},${y(p.z)}`).join(" ");
  // Where looks stand close together, only labels that have room.
  const roomy = (p: { at: number }, place: number) => {
    const before = boundary[place - 1];
    return before === undefined || x(p.at) - x(before.at) > LABEL || p === boundary[boundary.length - 1];
  };
  const phrase = looks.taken
    .map((look) => `look ${look.number}: z ${look.statistic?.toFixed(2)} against ${look.critical_value?.toFixed(2)}`)
    .join("; ");
  return (
    <div ref={holder}>
      <svg width={width} height={height} role="img" aria-label={`Statistic and boundary: ${phrase || "no look yet"}`}>
        {y.ticks(5).map((tick) => (
          <g key={tick}>
            <line x1={SIDE.left} x2={width - SIDE.right} y1={y(tick)} y2={y(tick)} stroke="var(--color-base-300)" />
            <text x={SIDE.left - 6} y={y(tick) + 4} textAnchor="end" fontSize={11} fill="var(--color-neutral)">
              {tick}
            </text>
          </g>
        ))}
        <line x1={SIDE.left} x2={width - SIDE.right} y1={y(0)} y2={y(0)} stroke="var(--color-base-content)" />
        {([1, -1] as const).map((sign) => (
          <g key={sign} stroke={sign > 0 ? "var(--ahead)" : "var(--behind)"}>
            <polyline points={line(boundary.map((p) => ({ at: p.at, z: sign * p.z })))} fill="none" strokeWidth={2} />
            {boundary.map((p, place) => (
              <circle
                key={p.at}
                cx={x(p.at)}
                cy={y(sign * p.z)}
                r={3.5}
                strokeWidth={1.6}
                fill={
                  place < looks.taken.length ? (sign > 0 ? "var(--ahead)" : "var(--behind)") : "var(--color-base-100)"
                }
              />
            ))}
          </g>
        ))}
        <polyline
          points={line([{ at: 0, z: 0 }, ...path])}
          fill="none"
          stroke="var(--color-base-content)"
          strokeWidth={1.6}
        />
        {path.map((p) => (
          <rect
            key={p.at}
            x={-4}
            y={-4}
            width={8}
            height={8}
            transform={`translate(${x(p.at)} ${y(p.z)}) rotate(45)`}
            fill="var(--color-base-100)"
            stroke="var(--color-base-content)"
            strokeWidth={1.6}
          />
        ))}
        {boundary.filter(roomy).map((p) => (
          <text
            key={p.at}
            x={x(p.at)}
            y={height - 22}
            textAnchor={p.at > end * 0.93 ? "end" : "middle"}
            fontSize={11}
            fill="var(--color-neutral)"
          >
            {Math.round(p.at * 100)}%
          </text>
        ))}
        <text x={width - SIDE.right} y={height - 6} textAnchor="end" fontSize={11} fill="var(--color-neutral)">
          share of the planned data
        </text>
      </svg>
    </div>
  );
}
