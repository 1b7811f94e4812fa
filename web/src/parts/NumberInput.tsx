import { useState, type ComponentProps } from "react";
import { canonical, fromCanonical, numberText } from "../lib/numbers";

type Props = Omit<ComponentProps<"input">, "value" | "onChange" | "type" | "inputMode"> & {
  /** The number as a canonical text ("1234.5"), or what was typed where that is no number. */
  value: string;
  change: (value: string) => void;
};

/** The field for a number: reads what people type in their own way of writing, and hands it on as canonical text. */
export function NumberInput({ value, change, className = "", ...rest }: Props) {
  const [typed, setTyped] = useState<string | null>(null);
  const number = fromCanonical(value);
  const own = typed !== null && canonical(typed) === value;
  return (
    <input
      {...rest}
      className={`input text-right ${className}`}
      inputMode="decimal"
      value={own ? typed : Number.isNaN(number) ? value : numberText(number)}
      onChange={(event) => {
        setTyped(event.target.value);
        change(canonical(event.target.value));
      }}
    />
  );
}
