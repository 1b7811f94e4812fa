import { moment } from "../../../lib/format";
import { OutlineDrawing } from "../../../parts/OutlineDrawing";
import { usePageUse, useZone } from "../../../api/hooks";

const MAX_HEIGHT = 240;
const MAX_WIDTH = 270;

/** Each variant's page as the script last saw it in a preview, on a computer and on a phone. */
export function Outlines({ experiment, letter }: { experiment: string; letter: string }) {
  const use = usePageUse(experiment, true);
  const zone = useZone();
  const drawn = (use.data?.devices ?? []).flatMap(({ device, outlines }) =>
    outlines.filter((one) => one.letter === letter).map((outline) => ({ device, outline })),
  );
  if (drawn.length === 0)
    return use.data ? <p className="quiet my-2">Not taken yet: show {letter} here once.</p> : null;
  return (
    <div className="my-2 flex flex-wrap gap-4">
      {drawn.map(({ device, outline }) => (
        <figure key={device}>
          <OutlineDrawing
            outline={outline}
            scale={Math.min(MAX_HEIGHT / outline.height, MAX_WIDTH / outline.width)}
            label={`${letter} in outline, ${device}`}
          />
          <figcaption className="quiet mt-1 text-xs">
            {device}, {moment(outline.taken_at, zone)}
          </figcaption>
        </figure>
      ))}
    </div>
  );
}
