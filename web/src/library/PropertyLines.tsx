import { useState } from "react";
import { FormError } from "../parts/basics";

/** "device, source, device & language" → [["device"], ["source"], ["device", "language"]]. */
export function readSegments(text: string): string[][] {
  return text
    .split(/[,\n]/)
    .map((part) =>
      part
        .split("&")
        .map((name) => name.trim())
        .filter(Boolean),
    )
    .filter((line) => line.length > 0);
}

interface Props {
  /** Each a property, or two that are crossed. */
  lines: string[][];
  save: (lines: string[][], done: () => void) => void;
  busy: boolean;
  error: Error | null;
  mayEdit: boolean;
}

/** Properties that units are counted by, as one line of text. */
export function PropertyLines({ lines, save, busy, error, mayEdit }: Props) {
  const [typed, setTyped] = useState<string | null>(null);
  const shown = lines.map((line) => line.join(" & ")).join(", ");
  return (
    <>
      <form
        className="flex gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          save(readSegments(typed ?? shown), () => setTyped(null));
        }}
      >
        <input
          className="input input-sm grow"
          aria-label="Properties, separated by commas"
          placeholder="device, source, device & language"
          readOnly={!mayEdit}
          value={typed ?? shown}
          onChange={(event) => setTyped(event.target.value)}
        />
        <button className="btn btn-sm" disabled={typed === null || typed === shown || busy}>
          {busy ? "Counting again…" : "Save"}
        </button>
      </form>
      <FormError error={error} />
    </>
  );
}
