import { scaleLinear, scaleTime } from "d3-scale";
import { useState } from "react";
import { rate } from "../lib/format";
import { useWidth } from "../lib/useWidth";
import { variantColour } from "../lib/variants";

export interface SharesPoint {
  number: number;
  from: string;
  /** Null while it lasts. */
  until: string | null;
  shares: number[];
  /** Who set them and why. */
  text: string;
  /** Set by a hand: marked. */
  byHand: boolean;
}

interface Props {
  points: SharesPoint[];
  letters: string[];
  /** The end of the picture where the last epoch lasts still. */
  now: string;
  label: string;
  format: (iso: string) => string;
  height?: number;
}

const SIDE = { left: 40, right: 34, top: 8, bottom: 22 };

/** Shares as bands on top of one another, epoch by epoch; the reason of an epoch is shown when it is pointed at. */
export function SharesPicture({ points, letters, now, label, format, height = 210 }: Props) {
  const [holder, width] = useWidth(480);
  const [pointed, setPointed] = useState<number | null>(null);
  const first = points[0];
  if (!first) return null;
  const end = (point: SharesPoint) => new Date(point.until ?? now);
  const last = points[points.length - 1] ?? first;
  const x = scaleTime([new Date(first.from), end(last)], [SIDE.left, width - SIDE.right]);
  const y = scaleLinear([0, 1], [height - SIDE.bottom, SIDE.top]);
  const shown = points.find((point) => point.number === pointed) ?? last;
  const stacked = (shares: number[]) => shares.map((share, arm) => shares.slice(0, arm).reduce((a, b) => a + b, share));
  return (
    <div ref={holder}>
      <svg width={width} height={height} role="img" aria-label={label} onMouseLeave={() => setPointed(null)}>
        {letters.map((letter, arm) => {
          const edges = points.map((point) => {
            const tops = stacked(point.shares);
            return { point, top: tops[arm] ?? 0, bottom: arm === 0 ? 0 : (tops[arm - 1] ?? 0) };
          });
          const over = edges.map((e) => `${x(new Date(e.point.from))},${y(e.top)} ${x(end(e.point))},${y(e.top)}`);
          const under = [...edges]
            .reverse()
            .map((e) => `${x(end(e.point))},${y(e.bottom)} ${x(new Date(e.point.from))},${y(e.bottom)}`);
          const final = edges[edges.length - 1];
          return (
            <g key={letter}>
              <polygon
                points={[...over, ...under].join(" ")}
                fill={variantColour(arm)}
                fillOpacity={arm === 0 ? 0.25 : 0.55}
                stroke="var(--color-base-100)"
                strokeWidth={1}
              />
              {final && final.top - final.bottom > 0.02 && (
                <text
                  x={width - SIDE.right + 8}
                  y={y((final.top + final.bottom) / 2) + 4}
                  fontSize={12}
                  fontWeight={600}
                  fill="var(--color-base-content)"
                >
                  {letter}
                </text>
              )}
            </g>
          );
        })}
        {points.map((point) => (
          <g key={point.number}>
            {point.byHand && (
              <path
                d={`M ${x(new Date(point.from))} ${SIDE.top - 1} l -5 -6 h 10 z`}
                transform="translate(0 4)"
                fill="var(--color-base-content)"
              />
            )}
            <rect
              x={x(new Date(point.from))}
              width={Math.max(x(end(point)) - x(new Date(point.from)), 1)}
              y={SIDE.top}
              height={height - SIDE.top - SIDE.bottom}
              fill={point.number === shown.number && pointed !== null ? "var(--color-base-content)" : "transparent"}
              fillOpacity={0.08}
              onMouseEnter={() => setPointed(point.number)}
            >
              <title>{`Epoch ${point.number}. ${point.text}`}</title>
            </rect>
          </g>
        ))}
        {[0, 0.25, 0.5, 0.75, 1].map((tick) => (
          <g key={tick}>
            <line
              x1={SIDE.left}
              x2={width - SIDE.right}
              y1={y(tick)}
              y2={y(tick)}
              stroke="var(--color-base-content)"
              strokeOpacity={0.12}
              pointerEvents="none"
            />
            <text x={SIDE.left - 6} y={y(tick) + 4} textAnchor="end" fontSize={11} fill="var(--color-neutral)">
              {tick * 100}%
            </text>
          </g>
        ))}
        {x.ticks(Math.max(2, Math.floor(width / 130))).map((tick) => (
          <text
            key={tick.toISOString()}
            x={x(tick)}
            y={height - 6}
            textAnchor="middle"
            fontSize={11}
            fill="var(--color-neutral)"
          >
            {format(tick.toISOString())}
          </text>
        ))}
      </svg>
      <p className="mt-1 min-h-10 text-sm">
        <span className="font-semibold">
          {pointed !== null ? `Epoch ${shown.number}` : last.until === null ? "Now" : "At the end"}:
        </span>{" "}
        {letters.map((letter, arm) => `${letter} ${rate(shown.shares[arm] ?? 0, 0)}`).join(", ")}.{" "}
        <span className="quiet">{shown.text}</span>
      </p>
    </div>
  );
}
