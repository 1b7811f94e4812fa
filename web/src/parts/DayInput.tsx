import { useId, useState, type InputHTMLAttributes } from "react";

const FIRST_DAY = "2000-01-01";
const YEARS_AHEAD = 10;
const lastDay = () => `${new Date().getUTCFullYear() + YEARS_AHEAD}-12-31`;

/** What is wrong with a day or a moment of ISO 8601, undefined for nothing; an empty one is right. */
export function wrongDay(label: string, typed: string, first = FIRST_DAY, last = lastDay()): string | undefined {
  const day = typed.slice(0, 10);
  const within = !day || (day >= first && day <= last);
  return within ? undefined : `${label} (${typed.replace("T", " ")}) must be a day from ${first} to ${last}`;
}

interface Props extends Omit<
  InputHTMLAttributes<HTMLInputElement>,
  "value" | "onChange" | "onBlur" | "type" | "min" | "max"
> {
  /** As it is called in what is said to be wrong with it. */
  label: string;
  /** ISO 8601, empty for none; with `timed` a moment to the minute. */
  value: string;
  change: (value: string) => void;
  timed?: boolean;
  /** Days, both of them accepted. */
  first?: string | undefined;
  last?: string | undefined;
  leave?: () => void;
  /** Said below by somebody else: the reason is not said here too. */
  quiet?: boolean;
}

/** The one field in which days and moments are typed. A form is not sent with a year that nobody means; why is said on leaving the field. */
export function DayInput(props: Props) {
  const { label, value, change, timed = false, first = FIRST_DAY, last = lastDay(), leave, quiet, ...rest } = props;
  const id = useId();
  const [left, setLeft] = useState(false);
  const wrong = quiet || !left ? undefined : wrongDay(label, value, first, last);
  const of = (day: string, time: string) => (timed ? `${day}T${time}` : day);
  return (
    <>
      <input
        {...rest}
        type={timed ? "datetime-local" : "date"}
        className={`input input-sm ${timed ? "w-52" : "w-40"} ${wrong ? "input-error" : ""}`}
        min={of(first, "00:00")}
        max={of(last, "23:59")}
        value={value}
        aria-invalid={wrong ? true : rest["aria-invalid"]}
        aria-describedby={[rest["aria-describedby"], wrong && id].filter(Boolean).join(" ") || undefined}
        onChange={(event) => {
          setLeft(false);
          change(event.target.value);
        }}
        onBlur={() => {
          setLeft(true);
          leave?.();
        }}
      />
      {wrong && (
        <span id={id} role="alert" className="block text-sm text-error">
          {wrong}
        </span>
      )}
    </>
  );
}
