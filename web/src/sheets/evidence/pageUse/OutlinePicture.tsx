import type { DeviceUse } from "../../../api/client";
import { useWidth } from "../../../lib/useWidth";
import { Letter } from "../../../parts/Letter";
import { shareText } from "./shares";

const GAP = 16;
const HIGHEST = 640; // of a page as it is drawn, in pixels
const LEAST_SHOWN = 0.005;

interface Props {
  device: DeviceUse;
  letters: string[];
  names: string[];
}

/** The page of each variant in outline, each element the darker the more of the visitors clicked it. */
export function OutlinePicture({ device, letters, names }: Props) {
  const [holder, width] = useWidth(760);
  const shares = new Map(device.elements.map(({ key, clicked }) => [key, clicked]));
  const drawn = letters.flatMap((letter, arm) => {
    const outline = device.outlines.find((one) => one.letter === letter);
    return outline ? [{ letter, arm, outline }] : [];
  });
  const most = Math.max(...device.elements.flatMap(({ clicked }) => clicked.map((n, arm) => (n ?? 0) / (device.units[arm] || 1))), 0.01); // prettier-ignore
  const column = (width - GAP * (drawn.length - 1)) / drawn.length;
  return (
    <div ref={holder} className="flex flex-wrap" style={{ gap: GAP }}>
      {drawn.map(({ letter, arm, outline }) => {
        const scale = Math.min(column / outline.width, HIGHEST / outline.height);
        const units = device.units[arm] ?? 0;
        const clicked = (key: string) => (units ? (shares.get(key)?.[arm] ?? 0) / units : 0);
        const boxes = [...outline.elements].sort((a, b) => b.width * b.height - a.width * a.height); // small ones above
        const first = [...boxes].sort((a, b) => clicked(b.key) - clicked(a.key))[0];
        return (
          <figure key={letter} style={{ width: outline.width * scale }} className="min-w-0">
            <figcaption className="mb-1 flex items-center gap-2 text-sm">
              <Letter letter={letter} /> <span className="truncate">{names[arm]}</span>
            </figcaption>
            <svg
              width={outline.width * scale}
              height={outline.height * scale}
              className="block rounded-sm border border-base-300 bg-base-100"
              role="img"
              aria-label={`The page of ${letter}; most clicked: ${first ? `${first.name}, ${shareText(clicked(first.key))}` : "nothing"}`}
            >
              {boxes.map(({ key, name, x, y, width: wide, height: high }) => {
                const share = clicked(key);
                const box = { x: x * scale, y: y * scale, width: wide * scale, height: high * scale };
                const shown = share >= LEAST_SHOWN;
                return (
                  <g key={key}>
                    <title>{`${name}: ${shareText(share)}`}</title>
                    <rect
                      {...box}
                      rx={2}
                      fill={shown ? "var(--color-primary)" : "var(--color-base-200)"}
                      fillOpacity={shown ? 0.12 + 0.6 * (share / most) : 0.5}
                      stroke={shown ? "var(--color-primary)" : "var(--color-base-300)"}
                    />
                    {box.width > 30 && box.height > 9 && (
                      <Label box={box} text={words(name)} dark={share / most > 0.6} />
                    )}
                    {shown && <Share box={box} page={outline.width * scale} text={shareText(share)} />}
                  </g>
                );
              })}
            </svg>
          </figure>
        );
      })}
    </div>
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
