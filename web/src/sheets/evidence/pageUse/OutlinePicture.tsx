import type { DeviceUse } from "../../../api/client";
import { useWidth } from "../../../lib/useWidth";
import { Letter } from "../../../parts/Letter";
import { OutlineDrawing } from "../../../parts/OutlineDrawing";
import { shareText } from "../../../lib/shares";

const GAP = 16;
const MAX_HEIGHT = 640; // of a page as it is drawn, in pixels

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
        const scale = Math.min(column / outline.width, MAX_HEIGHT / outline.height);
        const units = device.units[arm] ?? 0;
        const clicked = (key: string) => (units ? (shares.get(key)?.[arm] ?? 0) / units : 0);
        const first = [...outline.elements].sort((a, b) => clicked(b.key) - clicked(a.key))[0];
        return (
          <figure key={letter} style={{ width: outline.width * scale }} className="min-w-0">
            <figcaption className="mb-1 flex items-center gap-2 text-sm">
              <Letter letter={letter} /> <span className="truncate">{names[arm]}</span>
            </figcaption>
            <OutlineDrawing
              outline={outline}
              scale={scale}
              label={`The page of ${letter}; most clicked: ${first ? `${first.name}, ${shareText(clicked(first.key))}` : "nothing"}`}
              shareOf={clicked}
              most={most}
            />
          </figure>
        );
      })}
    </div>
  );
}
