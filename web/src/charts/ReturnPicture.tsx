import { scaleLinear } from "d3-scale";
import type { Bounds } from "../api/regions";
import { niceTicks } from "../lib/axis";
import { between, figure } from "../sheets/regions/words";

const WIDTH = 640;
const HEIGHT = 84;

interface Props {
  incremental: Bounds;
  breakEven: number;
  within: number;
  colour: string;
}

/** The incremental return with its interval, against what it must be to pay and the nothing that it may bring. */
export function ReturnPicture({ incremental, breakEven, within, colour }: Props) {
  const ends = [0, breakEven, incremental.estimate, incremental.low ?? 0, incremental.high ?? breakEven];
  const pad = (Math.max(...ends) - Math.min(...ends)) * 0.08 || 1;
  const domain: [number, number] = [Math.min(...ends) - pad, Math.max(...ends) + pad];
  const x = scaleLinear()
    .domain(domain)
    .range([12, WIDTH - 12]);
  const left = incremental.low === null ? 0 : x(incremental.low);
  const right = incremental.high === null ? WIDTH : x(incremental.high);
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="w-full max-w-2xl"
      role="img"
      aria-label={`Return ${figure(incremental.estimate)} (${between(incremental, figure)}); it pays from ${figure(breakEven)}`}
    >
      {within > 0 && (
        <rect
          x={x(breakEven * (1 - within))}
          width={x(breakEven * (1 + within)) - x(breakEven * (1 - within))}
          y={18}
          height={42}
          fill="var(--band)"
        />
      )}
      <line x1={x(0)} x2={x(0)} y1={22} y2={60} stroke="var(--color-base-300)" />
      <line x1={x(breakEven)} x2={x(breakEven)} y1={18} y2={60} stroke="var(--color-base-content)" />
      <text x={x(breakEven)} y={13} textAnchor="middle" fontSize={12} fill="var(--color-base-content)">
        {`pays from ${figure(breakEven)}`}
      </text>
      <line x1={left} x2={right} y1={40} y2={40} stroke={colour} strokeWidth={4} />
      <rect
        x={-5}
        y={-5}
        width={10}
        height={10}
        transform={`translate(${x(incremental.estimate)} 40) rotate(45)`}
        fill="var(--color-base-100)"
        stroke={colour}
        strokeWidth={2}
      />
      {niceTicks(domain, 5).map((tick) => (
        <text key={tick} x={x(tick)} y={HEIGHT - 6} textAnchor="middle" fontSize={12} fill="var(--color-neutral)">
          {tick.toLocaleString("en-GB").replace("-", "−")}
        </text>
      ))}
    </svg>
  );
}
