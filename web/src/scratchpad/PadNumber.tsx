import { useId } from "react";
import { parseNumber } from "../lib/format";

interface Props {
  label: string;
  unit: string;
  value: string;
  change: (value: string) => void;
  error?: string | undefined;
}

/** A number of the scratchpad: what is typed goes into the address as it is. */
export function PadNumber({ label, unit, value, change, error }: Props) {
  const id = useId();
  const number = parseNumber(value);
  const own = number === null || Number.isNaN(number) ? `${label} (${value || "empty"}) must be a number` : undefined;
  const message = own ?? error;
  return (
    <div className="min-w-0">
      <label htmlFor={id} className="quiet block text-sm">
        {label}
      </label>
      <span className="flex items-center gap-1.5">
        <input
          id={id}
          className={`input input-sm w-24 text-right ${message ? "input-error" : ""}`}
          inputMode="decimal"
          aria-invalid={!!message}
          value={value}
          onChange={(event) => change(event.target.value)}
        />
        <span className="quiet text-sm">{unit}</span>
      </span>
      {message && (
        <p role="alert" className="max-w-48 text-sm text-error">
          {message}
        </p>
      )}
    </div>
  );
}
