import type { Outline } from "../api/client";
import { shareText } from "../lib/shares";

const MIN_SHOWN = 0.005;

interface Props {
  outline: Outline;
  scale: number;
  label: string;
  /** Of an element's key the share of the visitors who clicked it; without it, the page alone. */
  shareOf?: (key: string) => number;
  /** The share that is drawn darkest. */
  most?: number;
}

/** A page in outline: its elements where they stand, the darker the more of the visitors clicked them. */
export function OutlineDrawing({ outline, scale, label, shareOf = () => 0, most = 1 }: Props) {
  const boxes = [...outline.elements].sort((a, b) => b.width * b.height - a.width * a.height); // small ones above
  const page = outline.width * scale;
  return (
    <svg
      width={page}
      height={outline.height * scale}
      className="block rounded-sm border border-base-300 bg-base-100"
      role="img"
      aria-label={label}
    >
      {boxes.map(({ key, name, x, y, width, height }) => {
        const share = shareOf(key);
        const box = { x: x * scale, y: y * scale, width: width * scale, height: height * scale };
        const shown = share >= MIN_SHOWN;
        return (
          <g key={key}>
            <title>{shown ? `${name}: ${shareText(share)}` : name}</title>
            <rect
              {...box}
              rx={2}
              fill={shown ? "var(--color-primary)" : "var(--color-base-200)"}
              fillOpacity={shown ? 0.12 + 0.6 * (share / most) : 0.5}
              stroke={shown ? "var(--color-primary)" : "var(--color-base-300)"}
            />
            {box.width > 30 && box.height > 9 && (
              <Label box={box} text={words(name)} dark={shown && share / most > 0.6} />
            )}
            {shown && <Share box={box} page={page} text={shareText(share)} />}
          </g>
        );
      })}
    </svg>
  );
}

interface Box {
  x: number;
  y: number;
  width: number;
  height: number;
}

function Label({ box, text, dark }: { box: Box; text: string; dark: boolean }) {
  const fits = Math.floor((box.width - 6) / 5);
  return (
    <text
      x={box.x + 3}
      y={box.y + Math.min(box.height / 2 + 3, 12)}
      fontSize={9}
      fill={dark ? "var(--color-primary-content)" : "var(--color-base-content)"}
    >
      {text.length > fits ? `${text.slice(0, Math.max(fits - 1, 0))}…` : text}
    </text>
  );
}

/** To the right of a box, or in it where the page ends. */
function Share({ box, page, text }: { box: Box; page: number; text: string }) {
  const width = text.length * 6 + 6;
  const end = box.x + box.width;
  const x = end + 2 + width <= page ? end + 2 : end - width;
  return (
    <g transform={`translate(${x}, ${box.y + box.height / 2 - 6.5})`}>
      <rect width={width} height={13} rx={2} fill="var(--color-base-content)" />
      <text x={width / 2} y={10} fontSize={10} fontWeight={600} textAnchor="middle" fill="var(--color-base-100)">
        {text}
      </text>
    </g>
  );
}

/** What an element says, of its name “Button “Search””. */
const words = (name: string): string => /“(.*)”/.exec(name)?.[1] ?? "";
