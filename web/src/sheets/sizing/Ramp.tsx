import { percentText } from "../../lib/format";
import { readNumber } from "../../lib/numbers";
import { TextField } from "../../parts/fields";
import { useState } from "react";
import { useEditing } from "../editing";

type Step = { days: number; participation: number };

/** "3 days at 10%, 4 days at 50%" → steps; null for what cannot be read so. */
export function readRamp(text: string): Step[] | null {
  if (!text.trim()) return [];
  const steps = text.split(/[,;]/).map((part) => {
    const match = /^\s*(\d+)\s*(?:days?)?\s*(?:at|:)\s*(.+)$/i.exec(part);
    const share = match?.[2] ? readNumber(match[2]) : null;
    if (!match?.[1] || share === null || Number.isNaN(share) || share <= 0 || share > 100) return null;
    return { days: Number(match[1]), participation: share / 100 };
  });
  return steps.every((step) => step !== null && step.days > 0) ? (steps as Step[]) : null;
}

export function writeRamp(steps: Step[]): string {
  return steps.map((s) => `${s.days} ${s.days === 1 ? "day" : "days"} at ${percentText(s.participation)}%`).join(", ");
}

/** The first days, during which fewer take part, so that a harmful change meets few. */
export function Ramp() {
  const { experiment, save, mayEdit, locked } = useEditing();
  const [wrong, setWrong] = useState("");
  return (
    <div className="border-b border-base-300 py-1">
      <TextField
        label="Ramp: share included, by days"
        value={writeRamp(experiment.ramp)}
        save={(text) => {
          const ramp = readRamp(text);
          setWrong(ramp ? "" : `Ramp (${text}) must be written as 3 days at 10%, 4 days at 50%`);
          if (ramp) save({ ramp });
        }}
        locked={locked || !mayEdit}
        placeholder="3 days at 10%, 4 days at 50%"
        error={wrong || undefined}
      />
    </div>
  );
}
