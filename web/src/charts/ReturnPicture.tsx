import { scaleLinear } from "d3-scale";
import type { Bounds } from "../api/regions";
import { niceTicks } from "../lib/axis";
import { between, capital, figure } from "../sheets/regions/words";

const WIDTH = 640;
const TOP = 18;
const LINE = 42;

interface Props {
  /** What was read, each with what it is called where there are several. */
  lines: readonly { name: string; incremental: Bounds }[];
  breakEven: number;
  within: number;
  /** Of a single line; where there are several each has the colour of the side of break-even that it lies on. */
  colour: string;
}

/** The incremental returns with their intervals, against what it must be to pay and the nothing that it may bring. */
export function ReturnPicture({ lines, breakEven, within, colour }: Props) {
  const ends = [
    0,
    breakEven,
    ...lines.flatMap(({ incremental: one }) => [one.estimate, one.low ?? 0, one.high ?? breakEven]),
  ];
  const pad = (Math.max(...ends) - Math.min(...ends)) * 0.08 || 1;
  const domain: [number, number] = [Math.min(...ends) - pad, Math.max(...ends) + pad];
  const x = scaleLinear()
    .domain(domain)
    .range([12, WIDTH - 12]);
  const floor = TOP + LINE * lines.length;
  const height = floor + 24;
  const said = lines.map(
    ({ name, incremental: one }) =>
      `${name ? `${name}: ` : ""}return ${figure(one.estimate)} (${between(one, figure)})`,
  );
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${height}`}
      className="w-full max-w-2xl"
      role="img"
      aria-label={`${capital(said.join("; "))}; it pays from ${figure(breakEven)}`}
    >
      {within > 0 && (
        <rect
          x={x(breakEven * (1 - within))}
          width={x(breakEven * (1 + within)) - x(breakEven * (1 - within))}
          y={TOP}
          height={floor - TOP}
          fill="var(--band)"
        />
      )}
      <line x1={x(0)} x2={x(0)} y1={TOP + 4} y2={floor} stroke="var(--color-base-300)" />
      <line x1={x(breakEven)} x2={x(breakEven)} y1={TOP} y2={floor} stroke="var(--color-base-content)" />
      <text x={x(breakEven)} y={13} textAnchor="middle" fontSize={12} fill="var(--color-base-content)">
        {`pays from ${figure(breakEven)}`}
      </text>
      {lines.map(({ name, incremental: one }, place) => {
        const stroke = lines.length === 1 ? colour : sideOf(one, breakEven);
        const at = TOP + LINE * (place + 0.5) + (name ? 5 : 1);
        return (
          <g key={name}>
            {name && (
              <text
                x={12}
                y={at - 11}
                fontSize={12}
                fill="var(--color-neutral)"
                stroke="var(--color-base-100)"
                strokeWidth={4}
                paintOrder="stroke"
              >
                {name}
              </text>
            )}
            <line
              x1={one.low === null ? 0 : x(one.low)}
              x2={one.high === null ? WIDTH : x(one.high)}
              y1={at}
              y2={at}
              stroke={stroke}
              strokeWidth={4}
            />
            <rect
              x={-5}
              y={-5}
              width={10}
              height={10}
              transform={`translate(${x(one.estimate)} ${at}) rotate(45)`}
              fill="var(--color-base-100)"
              stroke={stroke}
              strokeWidth={2}
            />
          </g>
        );
      })}
      {niceTicks(domain, 5).map((tick) => (
        <text key={tick} x={x(tick)} y={height - 6} textAnchor="middle" fontSize={12} fill="var(--color-neutral)">
          {tick.toLocaleString("en-GB").replace("-", "−")}
        </text>
      ))}
    </svg>
  );
}

/** The colour of the side of break-even that an interval lies on. */
export function sideOf({ low, high }: Bounds, breakEven: number): string {
  if (low !== null && low > breakEven) return "var(--ahead)";
  return high !== null && high < breakEven ? "var(--behind)" : "var(--open)";
}
