import { scaleLinear } from "d3-scale";
import type { Interval } from "../api/client";

export interface Axis {
  domain: [number, number];
  ticks: number[];
}

const WIDEST = 3;
const GAP = 5; // pixels between two labels

/** One axis for all strips of a view: it holds zero, the band and the intervals, but no outlier may flatten the rest. */
export function sharedAxis(lifts: (Interval | null | undefined)[], worthwhile: number, tickCount = 4): Axis {
  const ends = lifts.flatMap((lift) => (lift ? [lift.low, lift.high, lift.estimate] : []));
  const sizes = ends.filter((end): end is number => end !== null).map(Math.abs);
  const typical = median(sizes) * 3;
  const shown = ends.filter((end): end is number => end !== null && Math.abs(end) <= Math.max(typical, worthwhile * 3));
  const low = Math.max(Math.min(-worthwhile * 1.4, ...shown), -1);
  const high = Math.min(Math.max(worthwhile * 1.4, ...shown), WIDEST);
  const pad = (high - low) * 0.06;
  const domain: [number, number] = [low - pad, high + pad];
  return { domain, ticks: scaleLinear().domain(domain).ticks(tickCount) };
}

/** Round ticks within a range. */
export function niceTicks(domain: [number, number], count = 5): number[] {
  return scaleLinear().domain(domain).ticks(count);
}

/**
 * Those of some labels that can be read next to each other, in their order. Of two that would touch the one nearer to zero stays;
 * `place` and `width` are in pixels.
 */
export function legible(ticks: number[], place: (tick: number) => number, width: (tick: number) => number): number[] {
  const shown: number[] = [];
  for (const tick of [...ticks].sort((a, b) => Math.abs(a) - Math.abs(b)))
    if (shown.every((one) => Math.abs(place(one) - place(tick)) >= (width(one) + width(tick)) / 2 + GAP))
      shown.push(tick);
  return shown.sort((a, b) => a - b);
}

/** A round range that holds all values; from zero where they are not far above it. */
export function niceRange(values: number[]): [number, number] {
  const low = Math.min(...values);
  const high = Math.max(...values);
  if (values.length === 0) return [0, 1];
  const from = low >= 0 && low < (high - low) * 0.75 ? 0 : low;
  return scaleLinear()
    .domain([from, high === from ? from + 1 : high])
    .nice(4)
    .domain() as [number, number];
}

function median(values: number[]): number {
  if (values.length === 0) return 0;
  const sorted = [...values].sort((a, b) => a - b);
  return sorted[Math.floor(sorted.length / 2)] ?? 0;
}

/** Range of a chart of lifts over time: what the later two thirds show, so that the wild first days do not flatten them. */
export function calmRange(lows: (number | null)[], highs: (number | null)[], worthwhile: number): [number, number] {
  const from = Math.floor(lows.length / 4);
  const numbers = (values: (number | null)[]) => values.slice(from).filter((v): v is number => v !== null);
  const low = Math.min(-worthwhile * 1.5, ...numbers(lows));
  const high = Math.max(worthwhile * 1.5, ...numbers(highs));
  return scaleLinear()
    .domain([Math.max(low, -1), Math.min(high, WIDEST)])
    .nice(5)
    .domain() as [number, number];
}
