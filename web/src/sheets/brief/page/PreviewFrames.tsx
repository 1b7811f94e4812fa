import { useEffect, useRef, useState } from "react";
import type { OnPage, OutlineIn } from "../../../api/client";
import { useKeepOutline } from "../../../api/hooks";
import { useEditing } from "../../editing";
import { useWidth } from "../../../lib/useWidth";

/** Widths that a page is looked at in, in CSS pixels; of two of them the outline is kept, for what visitors do there. */
const DEVICES: { name: string; width: number; height: number; outline?: OutlineIn["device"] }[] = [
  { name: "Computer", width: 1280, height: 800, outline: "computer" },
  { name: "Tablet", width: 768, height: 1024 },
  { name: "Phone", width: 390, height: 844, outline: "phone" },
];
const GAP = 14;
const PATIENCE = 6_000;

/** What the script in a frame says of the preview there (`web/site/src/preview.ts`). */
interface Said {
  script: string;
  problem?: string;
  /** Names of the variant's parameters. */
  parameters?: string[];
  read: string[];
  missing: string[];
  /** What became of its changes on the page, in their order. */
  changes?: string[];
}

/** A variant on the page at three widths side by side, each with what the script there says. */
export function PreviewFrames({ preview }: { preview: OnPage["previews"][number] }) {
  const [holder, width] = useWidth(780);
  // As high as each other, however wide the Brief is.
  const ratios = DEVICES.reduce((sum, device) => sum + device.width / device.height, 0);
  const height = Math.min(420, (width - GAP * (DEVICES.length - 1)) / ratios);
  return (
    <div
      ref={holder}
      className="mt-2 flex"
      style={{ gap: GAP }}
      role="group"
      aria-label={`${preview.letter} on the page`}
    >
      {DEVICES.map((device) => (
        <Frame key={device.name} device={device} height={height} preview={preview} />
      ))}
    </div>
  );
}

interface FrameProps {
  device: (typeof DEVICES)[number];
  height: number;
  preview: OnPage["previews"][number];
}

function Frame({ device, height, preview }: FrameProps) {
  const { experiment, mayAct } = useEditing();
  const { mutate: keepOutline } = useKeepOutline(experiment.key);
  const frame = useRef<HTMLIFrameElement>(null);
  const [said, setSaid] = useState<Said>();
  const [late, setLate] = useState(false);
  useEffect(() => {
    const listen = (message: MessageEvent<unknown>) => {
      if (message.source !== frame.current?.contentWindow) return;
      if (isSaid(message.data)) setSaid(message.data);
      if (mayAct && device.outline && isOutline(message.data)) {
        const { width, height, elements } = message.data;
        keepOutline({ variant: preview.letter, device: device.outline, width, height, elements });
      }
    };
    addEventListener("message", listen);
    const timer = setTimeout(() => setLate(true), PATIENCE);
    return () => {
      removeEventListener("message", listen);
      clearTimeout(timer);
    };
  }, [device, preview.letter, mayAct, keepOutline]);
  const scale = height / device.height;
  return (
    <figure style={{ width: device.width * scale }}>
      <div className="overflow-hidden rounded-sm border border-base-300 bg-base-100" style={{ height }}>
        <iframe
          ref={frame}
          title={`${preview.letter} on a ${device.name.toLowerCase()}`}
          src={preview.address}
          sandbox="allow-scripts allow-same-origin allow-forms"
          style={{ width: device.width, height: device.height, transform: `scale(${scale})`, transformOrigin: "0 0" }}
        />
      </div>
      <figcaption className="mt-1 text-sm">
        {device.name} <span className="quiet">{device.width}</span>
        <span role="status" className="quiet block text-xs">
          {said
            ? words(said)
            : late
              ? "The page has not answered. It may have no script, or not allow frames: open it."
              : "…"}
        </span>
      </figcaption>
    </figure>
  );
}

function words({ problem, missing, parameters = [], changes = [] }: Said): string {
  if (problem) return problem;
  const said = [];
  if (missing.length) said.push(`The page has not asked for ${missing.join(", ")}.`);
  else if (parameters.length) said.push("All parameters are in use.");
  if (changes.length) {
    const not = changes.flatMap((state, at) => (state === "made" ? [] : [at + 1]));
    const which = not.length ? ` (not: ${not.join(", ")})` : "";
    said.push(`${changes.length - not.length} of ${changes.length} changes made${which}.`);
  }
  return said.join(" ") || "Nothing of this variant is seen here.";
}

/** Where the page's elements stand, as the script in a frame says once; the server checks what stands in it. */
function isOutline(data: unknown): data is Omit<OutlineIn, "variant" | "device"> {
  const said = data as Partial<OutlineIn & { neat: string }> | null;
  return said?.neat === "outline" && Array.isArray(said.elements);
}

function isSaid(data: unknown): data is Said {
  const said = data as Partial<Said & { neat: string }> | null;
  return said?.neat === "preview" && Array.isArray(said.read) && Array.isArray(said.missing);
}
