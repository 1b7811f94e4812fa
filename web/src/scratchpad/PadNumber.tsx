import { useId } from "react";
import { fromCanonical } from "../lib/numbers";
import { NumberInput } from "../parts/NumberInput";

interface Props {
  label: string;
  unit: string;
  value: string;
  change: (value: string) => void;
  error?: string | undefined;
  /** Whether it may be empty. */
  optional?: boolean;
}

/** A number of the scratchpad: goes into the address so that it reads alike for everybody. */
export function PadNumber({ label, unit, value, change, error, optional = false }: Props) {
  const id = useId();
  const number = fromCanonical(value);
  const missing = number === null && !(optional && value === "");
  const own = missing || Number.isNaN(number) ? `${label} (${value || "empty"}) must be a number` : undefined;
  const message = own ?? error;
  return (
    <div className="min-w-0">
      <label htmlFor={id} className="quiet block text-sm">
        {label}
      </label>
      <span className="flex items-center gap-1.5">
        <NumberInput
          id={id}
          className={`input-sm w-24 ${message ? "input-error" : ""}`}
          aria-invalid={!!message}
          value={value}
          change={change}
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
