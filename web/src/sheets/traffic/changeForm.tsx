import { useId } from "react";
import type { Stretches } from "../../api/client";
import { LETTERS } from "../../api/vocabulary";
import { rate } from "../../lib/format";
import { fromCanonical } from "../../lib/numbers";
import { NumberInput } from "../../parts/NumberInput";
import { FormError, errorOf } from "../../parts/basics";
import { DayInput } from "../../parts/DayInput";

export function letterAt(place: number): string {
  return LETTERS[place] ?? "";
}

/** The numbers of the fields that are shown, 1 of the others; null while one is no number above 0. */
export function weightsOf(typed: string[], shown: boolean[]): number[] | null {
  const numbers = typed.map((text, at) => (shown[at] ? fromCanonical(text) : 1));
  return numbers.every((number): number is number => number !== null && number > 0) ? numbers : null;
}

interface WeightsProps {
  typed: string[];
  shown: boolean[];
  change: (typed: string[]) => void;
}

/** A weight for each variant, and the shares that they make. */
export function Weights({ typed, shown, change }: WeightsProps) {
  const numbers = weightsOf(typed, shown);
  const sum = numbers?.reduce((total, number, at) => total + (shown[at] ? number : 0), 0) ?? NaN;
  return (
    <>
      <div className="mt-3 flex flex-wrap gap-3">
        {typed.map(
          (text, at) =>
            shown[at] && (
              <label key={at} className="flex items-center gap-1">
                {letterAt(at)}
                <NumberInput
                  className="input-sm w-20"
                  aria-label={`Weight of ${letterAt(at)} from then on`}
                  value={text}
                  change={(next) => change(typed.map((before, place) => (place === at ? next : before)))}
                />
              </label>
            ),
        )}
      </div>
      <p role="status" className={`text-sm ${numbers ? "quiet" : "text-error"}`}>
        {numbers
          ? `That is ${numbers
              .map((number, at) => (shown[at] ? `${letterAt(at)} ${rate(number / sum, 1)}` : ""))
              .filter(Boolean)
              .join(", ")}.`
          : "Each must be a number above 0."}
      </p>
    </>
  );
}

interface DayProps {
  label: string;
  note: string;
  value: string;
  change: (day: string) => void;
  required?: boolean;
  first?: string;
}

export function DayLine({ note, ...input }: DayProps) {
  const id = useId();
  return (
    <label className="mt-3 flex flex-wrap items-center gap-3">
      <span className="w-24">{input.label}</span>
      <DayInput aria-describedby={id} {...input} />
      <span id={id} className="quiet text-sm">
        {note}
      </span>
    </label>
  );
}

interface FirstDayProps {
  split: Stretches;
  served: boolean;
  value: string;
  change: (day: string) => void;
}

/** The day from the beginning of which another split holds. */
export function FirstDay({ split, served, value, change }: FirstDayProps) {
  return (
    <DayLine
      label="From the day"
      note={served ? "from midnight on, so that a day has one split" : "the first whole day with these shares"}
      required
      first={split.earliest_day}
      value={value}
      change={change}
    />
  );
}

export function WrongOf({ error, fields }: { error: Error | null; fields: string[] }) {
  const wrong = fields.map((field) => errorOf(error, field)).find(Boolean);
  if (!wrong) return null;
  return (
    <p role="alert" className="text-sm text-error">
      {wrong}
    </p>
  );
}

export function Reason({
  value,
  change,
  error,
}: {
  value: string;
  change: (text: string) => void;
  error: Error | null;
}) {
  const wrong = errorOf(error, "reason");
  const elsewhere = ["weights", "from_day", "variant", "on_day", "afterwards"].some((field) => errorOf(error, field));
  return (
    <>
      <label className="mt-3 block">
        <span className="quiet block text-sm">Why? Evidence and report show it.</span>
        <input
          className="input w-full"
          required
          maxLength={300}
          value={value}
          onChange={(event) => change(event.target.value)}
        />
      </label>
      {wrong ? (
        <p role="alert" className="text-sm text-error">
          {wrong}
        </p>
      ) : (
        !elsewhere && <FormError error={error} />
      )}
    </>
  );
}

interface ButtonsProps {
  close: () => void;
  yes: string;
  pending: boolean;
  ready: boolean;
}

export function Buttons({ close, yes, pending, ready }: ButtonsProps) {
  return (
    <div className="mt-4 flex justify-end gap-2">
      <button type="button" className="btn btn-sm" onClick={close}>
        Cancel
      </button>
      <button className="btn btn-sm btn-primary" disabled={pending || !ready}>
        {yes}
      </button>
    </div>
  );
}
