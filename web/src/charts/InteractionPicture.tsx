import { scaleLinear, scalePoint } from "d3-scale";
import type { Interval } from "../api/client";
import { niceRange, niceTicks } from "../lib/axis";
import { useWidth } from "../lib/useWidth";

export interface InteractionLine {
  /** The level of the factor that is drawn as lines. */
  name: string;
  colour: string;
  points: { name: string; level: Interval }[];
}

interface Props {
  lines: InteractionLine[];
  label: string;
  format: (value: number) => string;
}

const HEIGHT = 190;
const MARGIN = { top: 10, right: 12, bottom: 24, left: 52 };

/** Levels of one factor along the axis, of the other as lines, each point with its own interval: parallel lines, no interaction. */
export function InteractionPicture({ lines, label, format }: Props) {
  const [box, width] = useWidth(320);
  const values = lines.flatMap(({ points }) =>
    points.flatMap(({ level }) => [level.low, level.high, level.estimate]).filter((value) => value !== null),
  );
  const [low, high] = niceRange(values);
  const y = scaleLinear()
    .domain([low, high])
    .range([HEIGHT - MARGIN.bottom, MARGIN.top]);
  const names = lines[0]?.points.map(({ name }) => name) ?? [];
  const x = scalePoint()
    .domain(names)
    .range([MARGIN.left, width - MARGIN.right])
    .padding(0.5);
  return (
    <div ref={box}>
      <svg width={width} height={HEIGHT} role="img" aria-label={label} className="block">
        {niceTicks([low, high], 4).map((tick) => (
          <g key={tick}>
            <line x1={MARGIN.left} x2={width - MARGIN.right} y1={y(tick)} y2={y(tick)} stroke="var(--color-base-300)" />
            <text
              x={MARGIN.left - 8}
              y={y(tick)}
              dy="0.32em"
              textAnchor="end"
              fontSize={11}
              fill="var(--color-neutral)"
            >
              {format(tick)}
            </text>
          </g>
        ))}
        {names.map((name) => (
          <text
            key={name}
            x={x(name)}
            y={HEIGHT - 6}
            textAnchor="middle"
            fontSize={12}
            fill="var(--color-base-content)"
          >
            {name}
          </text>
        ))}
        {lines.map((line, place) => {
          const shift = (place - (lines.length - 1) / 2) * 6;
          const drawn = line.points.filter(({ level }) => level.estimate !== null);
          const at = (name: string) => (x(name) ?? 0) + shift;
          return (
            <g key={line.name} stroke={line.colour} fill={line.colour}>
              <polyline
                points={drawn.map(({ name, level }) => `${at(name)},${y(level.estimate ?? 0)}`).join(" ")}
                fill="none"
                strokeWidth={2}
                strokeDasharray={place === 0 ? "5 4" : undefined}
              />
              {drawn.map(({ name, level }) => (
                <g key={name}>
                  <line
                    x1={at(name)}
                    x2={at(name)}
                    y1={y(level.low ?? low)}
                    y2={y(level.high ?? high)}
                    strokeWidth={2}
                  />
                  <circle cx={at(name)} cy={y(level.estimate ?? 0)} r={4} />
                </g>
              ))}
            </g>
          );
        })}
      </svg>
    </div>
  );
}
