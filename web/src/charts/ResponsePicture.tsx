import { scaleLinear } from "d3-scale";
import type { RegionResponse } from "../api/regions";
import { niceTicks } from "../lib/axis";
import { signed } from "../lib/format";

const WIDTH = 640;
const HEIGHT = 250;
const LEFT = 52;
const FLOOR = HEIGHT - 26;
const DASHES = ["", "6 4", "2 3"];

/** What was found at the levels that were tried, and the curves through them; below the lower one nothing was tried. */
export function ResponsePicture({ response }: { response: RegionResponse }) {
  const { levels, curves } = response;
  const most = Math.max(...levels.map((one) => one.share));
  const tried = Math.min(...levels.map((one) => one.share));
  const found = levels.flatMap((one) => [one.lift.low ?? one.lift.estimate, one.lift.high ?? one.lift.estimate]);
  // A curve that falls to nothing would leave no room for what was found.
  const lowest = Math.max(Math.min(...curves.flatMap((one) => one.lifts), ...found), 4 * Math.min(...found, -0.01));
  const x = scaleLinear()
    .domain([0, most * 1.04])
    .range([LEFT, WIDTH - 12]);
  const y = scaleLinear()
    .domain([lowest, Math.max(...found, 0.01)])
    .range([FLOOR, 12]);
  return (
    <figure>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className="w-full max-w-3xl"
        role="img"
        aria-label={`Lift against the usual: ${levels.map((one) => `${signed(one.lift.estimate)} at ${percent(one.share)}`).join(", ")}`}
      >
        <clipPath id="response">
          <rect x={LEFT} y={4} width={WIDTH - LEFT} height={FLOOR - 2} />
        </clipPath>
        <rect x={x(0)} width={x(tried) - x(0)} y={8} height={FLOOR - 8} fill="var(--band)" />
        <text x={x(0) + 8} y={24} fontSize={12} fill="var(--color-neutral)">
          not tried
        </text>
        {niceTicks([lowest, Math.max(...found)], 4).map((tick) => (
          <g key={tick}>
            <line x1={LEFT} x2={WIDTH - 12} y1={y(tick)} y2={y(tick)} stroke="var(--color-base-300)" />
            <text x={LEFT - 6} y={y(tick) + 4} textAnchor="end" fontSize={12} fill="var(--color-neutral)">
              {signed(tick).replace(".0%", "%")}
            </text>
          </g>
        ))}
        {curves.map((one, at) => (
          <polyline
            key={one.name}
            clipPath="url(#response)"
            points={one.shares.map((share, place) => `${x(share)},${y(one.lifts[place] ?? 0)}`).join(" ")}
            fill="none"
            stroke="var(--color-primary)"
            strokeWidth={1.6}
            strokeDasharray={DASHES[at % DASHES.length]}
          />
        ))}
        {levels.map(({ share, lift }) => (
          <g key={share}>
            <line
              x1={x(share)}
              x2={x(share)}
              y1={y(lift.low ?? lowest)}
              y2={y(lift.high ?? 0)}
              stroke="var(--color-base-content)"
              strokeWidth={3}
            />
            <Diamond x={x(share)} y={y(lift.estimate)} />
          </g>
        ))}
        <Diamond x={x(1)} y={y(0)} />
        {[0, ...levels.map((one) => one.share), 1].map((share) => (
          <text key={share} x={x(share)} y={HEIGHT - 8} textAnchor="middle" fontSize={12} fill="var(--color-neutral)">
            {share === 1 ? "usual" : share === 0 ? "nothing" : percent(share)}
          </text>
        ))}
      </svg>
      <figcaption className="quiet mt-1 flex flex-wrap gap-4 text-xs">
        {curves.map((one, at) => (
          <span key={one.name} className="flex items-center gap-1.5">
            <svg width={28} height={6} aria-hidden>
              <line
                x1={0}
                x2={28}
                y1={3}
                y2={3}
                stroke="var(--color-primary)"
                strokeWidth={1.6}
                strokeDasharray={DASHES[at % DASHES.length]}
              />
            </svg>
            {one.name}
          </span>
        ))}
        <span>spend as a share of the usual, as it was observed</span>
      </figcaption>
    </figure>
  );
}

function Diamond({ x, y }: { x: number; y: number }) {
  return (
    <rect
      x={-4.5}
      y={-4.5}
      width={9}
      height={9}
      transform={`translate(${x} ${y}) rotate(45)`}
      fill="var(--color-base-100)"
      stroke="var(--color-base-content)"
      strokeWidth={1.8}
    />
  );
}

function percent(share: number): string {
  return `${Math.round(share * 100)}%`;
}
