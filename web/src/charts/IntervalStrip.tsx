import { scaleLinear } from "d3-scale";
import type { Interval, Tone } from "../api/client";
import { legible, type Axis } from "../lib/axis";
import { bounds } from "../lib/format";

interface StripProps {
  lift: Interval;
  tone: Tone;
  worthwhile: number;
  axis: Axis;
  width: number;
  height?: number;
  /** Spoken instead of the picture. */
  sentence: string;
}

const INSET = 8;
const HALF_TICK = 15; // pixels, of a label such as +60%
const CHARACTER = 6.3; // pixels, of a label's figures

export function stripScale(axis: Axis, width: number) {
  return scaleLinear()
    .domain(axis.domain)
    .range([INSET, width - INSET])
    .clamp(true);
}

const COLOUR: Record<Tone, string> = { ahead: "var(--ahead)", behind: "var(--behind)", open: "var(--open)" };

/** The signature picture of an effect: the band too small to matter, zero, the interval, the estimate. */
export function IntervalStrip({ lift, tone, worthwhile, axis, width, height = 22, sentence }: StripProps) {
  const x = stripScale(axis, width);
  const middle = height / 2;
  const colour = COLOUR[tone];
  const low = lift.low ?? -Infinity;
  const high = lift.high ?? Infinity;
  const cutLow = low < axis.domain[0];
  const cutHigh = high > axis.domain[1];
  const left = x(low === -Infinity ? axis.domain[0] : low);
  const right = x(high === Infinity ? axis.domain[1] : high);
  const estimate = lift.estimate;
  const visible = estimate !== null && estimate >= axis.domain[0] && estimate <= axis.domain[1];
  return (
    <svg width={width} height={height} role="img" aria-label={sentence} className="block">
      <title>{`${lift.estimate_text} (${bounds(lift)})`}</title>
      <rect x={x(-worthwhile)} width={x(worthwhile) - x(-worthwhile)} height={height} fill="var(--band)" />
      {[-worthwhile, worthwhile].map((edge) => (
        <line key={edge} x1={x(edge)} x2={x(edge)} y1={0} y2={height} stroke="var(--edge)" strokeWidth={0.75} />
      ))}
      <line x1={x(0)} x2={x(0)} y1={0} y2={height} stroke="var(--color-base-content)" strokeWidth={1} />
      <line x1={left} x2={right} y1={middle} y2={middle} stroke={colour} strokeWidth={3.5} />
      <End x={left} y={middle} cut={cutLow} open={lift.low_open === true} direction={-1} colour={colour} />
      <End x={right} y={middle} cut={cutHigh} open={lift.high_open === true} direction={1} colour={colour} />
      {visible && (
        <rect
          x={-4.2}
          y={-4.2}
          width={8.4}
          height={8.4}
          transform={`translate(${x(estimate)} ${middle}) rotate(45)`}
          fill="var(--color-base-100)"
          stroke={colour}
          strokeWidth={1.8}
        />
      )}
    </svg>
  );
}

interface EndProps {
  x: number;
  y: number;
  cut: boolean;
  open: boolean;
  direction: 1 | -1;
  colour: string;
}

/** A bar for a bound that is seen, an arrow for one beyond the axis, fading dots for one without limit. */
function End({ x, y, cut, open, direction, colour }: EndProps) {
  if (open) {
    return (
      <line
        x1={x - direction * 12}
        x2={x + direction * 7}
        y1={y}
        y2={y}
        stroke={colour}
        strokeWidth={3.5}
        strokeDasharray="2 3"
      />
    );
  }
  if (cut) return <path d={`M${x - direction} ${y - 5}l${direction * 7} 5l${-direction * 7} 5z`} fill={colour} />;
  return <line x1={x} x2={x} y1={y - 5} y2={y + 5} stroke={colour} strokeWidth={1.8} />;
}

interface StripAxisProps {
  axis: Axis;
  width: number;
  /** How a tick is written; as a lift where left out. */
  written?: (tick: number) => string;
}

function liftTick(tick: number): string {
  return tick === 0 ? "0%" : `${tick > 0 ? "+" : "\u2212"}${Number((Math.abs(tick) * 100).toFixed(1))}%`;
}

/** Labels of the axis that all strips of a view share; stands once above them. */
export function StripAxis({ axis, width, written = liftTick }: StripAxisProps) {
  const x = stripScale(axis, width);
  // A table cuts off what hangs over its edge.
  const widthOf = (tick: number) => written(tick).length * CHARACTER;
  const within = (middle: number) => Math.max(HALF_TICK, Math.min(middle, width - HALF_TICK));
  return (
    <svg width={width} height={14} aria-hidden className="block overflow-visible">
      {legible(axis.ticks, (tick) => within(x(tick)), widthOf).map((tick) => (
        <text key={tick} x={within(x(tick))} y={11} textAnchor="middle" fontSize={11} fill="var(--color-neutral)">
          {written(tick)}
        </text>
      ))}
    </svg>
  );
}
