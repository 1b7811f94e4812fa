import { useId } from "react";

interface Props {
  label: string;
  value: string;
  change: (text: string) => void;
  error?: string | undefined;
  type?: "text" | "password" | "email";
  autoComplete?: string;
  autoFocus?: boolean;
  placeholder?: string;
  small?: boolean;
  disabled?: boolean;
}

/** A field of a form, with what is wrong with it below, tied to it. */
export function FormField({ label, value, change, error, small = false, type = "text", ...rest }: Props) {
  const id = useId();
  return (
    <label className="block">
      <span className="quiet mb-1 block text-sm">{label}</span>
      <input
        {...rest}
        type={type}
        className={`input ${small ? "input-sm" : ""} w-full ${error ? "input-error" : ""}`}
        value={value}
        aria-invalid={error ? true : undefined}
        aria-describedby={error ? id : undefined}
        onChange={(event) => change(event.target.value)}
      />
      {error && (
        <span id={id} role="alert" className="mt-1 block text-sm text-error">
          {error}
        </span>
      )}
    </label>
  );
}
