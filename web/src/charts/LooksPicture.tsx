import { scaleLinear } from "d3-scale";
import type { Plan } from "../api/client";
import type { QuestionWords } from "../api/vocabulary";
import { signed } from "../lib/format";
import { useWidth } from "../lib/useWidth";

interface Props {
  looks: Plan["looks"];
  days: number;
  worthwhile: number;
  question: QuestionWords;
  /** 1 where more is better, -1 where less is. */
  good: 1 | -1;
  height?: number;
}

const SIDE = { left: 46, right: 14, top: 8, bottom: 22 };

/** The boundary: where a lift must be seen at each look to be called. */
export function LooksPicture({ looks, days, worthwhile, question, good, height = 190 }: Props) {
  const [holder, width] = useWidth(360);
  const top = Math.min(Math.max(...looks.map((look) => Math.abs(look.lift)), worthwhile * 1.3) * 1.05, 1.5);
  const sides = question.lines === "both" ? ([1, -1] as const) : [good];
  const x = scaleLinear([0, days], [SIDE.left, width - SIDE.right]);
  const y = scaleLinear([-top, top], [height - SIDE.bottom, SIDE.top]);
  const line = (sign: 1 | -1) => looks.map((look) => `${x(look.day)},${y(sign * Math.min(look.lift, top))}`).join(" ");
  const phrase = looks
    .map((look) => `day ${look.day}: ${signed(look.lift)} (p under ${look.nominal.toPrecision(2)})`)
    .join("; ");
  return (
    <div ref={holder}>
      <svg width={width} height={height} role="img" aria-label={`Lift to be seen at each look: ${phrase}`}>
        <rect
          x={SIDE.left}
          width={width - SIDE.left - SIDE.right}
          y={y(worthwhile)}
          height={y(-worthwhile) - y(worthwhile)}
          fill="var(--band)"
        />
        {y.ticks(4).map((tick) => (
          <text key={tick} x={SIDE.left - 6} y={y(tick) + 4} textAnchor="end" fontSize={12} fill="var(--color-neutral)">
            {signed(tick).replace(".0%", "%")}
          </text>
        ))}
        <line x1={SIDE.left} x2={width - SIDE.right} y1={y(0)} y2={y(0)} stroke="var(--color-base-content)" />
        {sides.map((sign) => (
          <polyline
            key={sign}
            points={line(sign)}
            fill="none"
            stroke={sign > 0 ? "var(--ahead)" : "var(--behind)"}
            strokeWidth={2}
          />
        ))}
        {looks.map((look) => (
          <g key={look.day}>
            <line
              x1={x(look.day)}
              x2={x(look.day)}
              y1={SIDE.top}
              y2={height - SIDE.bottom}
              stroke="var(--color-base-300)"
              strokeDasharray="2 3"
            />
            <circle cx={x(look.day)} cy={y(sides[0] * Math.min(look.lift, top))} r={3.5} fill="var(--ahead)" />
            <circle cx={x(look.day)} cy={y(-Math.min(look.lift, top))} r={3.5} fill="var(--behind)" />
            <text x={x(look.day)} y={height - 6} textAnchor="middle" fontSize={12} fill="var(--color-neutral)">
              {look.day}
            </text>
          </g>
        ))}
        <text x={SIDE.left} y={height - 6} fontSize={12} fill="var(--color-neutral)">
          day
        </text>
      </svg>
    </div>
  );
}
