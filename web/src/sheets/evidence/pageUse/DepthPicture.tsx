import type { DeviceUse } from "../../../api/client";
import { useWidth } from "../../../lib/useWidth";
import { variantColour } from "../../../lib/variants";
import { points, shareText } from "../../../lib/shares";

const HEIGHT = 300;
const TOP = 22;
const LEFT = 38;
const BETWEEN = 26;
const APART = 0.34; // of the width, for the differences

/** Down the page as one reads it: the share of visitors who come to each depth, and how it differs from A's. */
export function DepthPicture({ device, letters }: { device: DeviceUse; letters: string[] }) {
  const [holder, width] = useWidth(360);
  const { tenths, units } = device;
  const inner = Math.max(width - LEFT - BETWEEN, 120);
  const wide = inner * (1 - APART);
  const middle = LEFT + wide + BETWEEN + (inner * APART) / 2;
  const y = (tenth: number) => TOP + (tenth / tenths.length) * (HEIGHT - TOP - 4);
  const x = (share: number) => LEFT + share * wide;
  const share = (at: number, arm: number) => (units[arm] ? (tenths[at]?.reached[arm] ?? 0) / units[arm] : 0);
  const differences = tenths.flatMap(({ differences: of }, at) =>
    of.flatMap((one, arm) => (one ? [{ ...one, at, arm }] : [])),
  );
  const reach = Math.max(...differences.flatMap(({ low, high }) => [Math.abs(low), Math.abs(high)]), 0.01);
  const aside = (value: number) => middle + (value / reach) * ((inner * APART) / 2);
  const others = letters.length - 1;
  const said = letters.map((letter, arm) => `${letter} ${shareText(share(tenths.length - 1, arm))}`).join(", ");
  return (
    <div ref={holder}>
      <svg
        width={width}
        height={HEIGHT}
        role="img"
        aria-label={`Share of visitors by depth of the page; to its end: ${said}`}
      >
        {[0, 0.5, 1].map((at) => (
          <g key={at}>
            <line x1={x(at)} x2={x(at)} y1={TOP} y2={HEIGHT - 4} stroke="var(--color-base-300)" />
            <text x={x(at)} y={12} fontSize={11} textAnchor="middle" fill="var(--color-neutral)">
              {shareText(at)}
            </text>
          </g>
        ))}
        {[2, 4, 6, 8, 10].map((tenth) => (
          <text key={tenth} x={LEFT - 6} y={y(tenth) + 4} fontSize={11} textAnchor="end" fill="var(--color-neutral)">
            {tenth * 10}%
          </text>
        ))}
        {letters.map((letter, arm) => (
          <path
            key={letter}
            d={[`M${x(1)},${y(0)}`, ...tenths.map((_, at) => `L${x(share(at, arm))},${y(at + 1)}`)].join("")}
            fill="none"
            stroke={variantColour(arm)}
            strokeWidth={2}
            strokeDasharray={arm === 0 ? "5 3" : undefined}
          />
        ))}
        <line x1={middle} x2={middle} y1={TOP} y2={HEIGHT - 4} stroke="var(--color-neutral)" strokeOpacity={0.5} />
        <text x={middle} y={12} fontSize={11} textAnchor="middle" fill="var(--color-neutral)">
          less A, ±{(reach * 100).toFixed(0)}
        </text>
        {differences.map(({ at, arm, low, high, value, clear }) => {
          const line = y(at + 1) + (arm - (others - 1) / 2) * 5;
          return (
            <g key={`${at} ${arm}`} opacity={clear ? 1 : 0.5}>
              <title>{`${letters[arm + 1]}, ${(at + 1) * 10}%: ${points(value)} (${points(low)} to ${points(high)})`}</title>
              <line
                x1={aside(low)}
                x2={aside(high)}
                y1={line}
                y2={line}
                stroke={variantColour(arm + 1)}
                strokeWidth={clear ? 3 : 1.5}
              />
              <circle cx={aside(value)} cy={line} r={3} fill={variantColour(arm + 1)} />
            </g>
          );
        })}
      </svg>
    </div>
  );
}
