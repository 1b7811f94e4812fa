import { useState } from "react";
import type { Definition, EventFilter } from "../api/client";
import { fromCanonical } from "../lib/numbers";
import { NumberInput } from "../parts/NumberInput";
import { Problem } from "./ConditionFields";
import { EventFields } from "./EventFields";
import { kindNamed, vocabulary } from "../api/vocabulary";
import { useSession } from "../api/hooks";
import { emptyMeasure, NO_EVENT, ofKind, type Kind } from "./kinds";
import { MeasureFields } from "./MeasureFields";
import { TotalsFields } from "./TotalsFields";

interface Props {
  value: Definition;
  set: (value: Definition) => void;
  errorFor: (path: string) => string | undefined;
}

const UNITS: [Definition["unit"], string][] = [
  ["number", "a number"],
  ["money", "money"],
  ["milliseconds", "milliseconds"],
  ["per_thousand", "per thousand"],
  ["percent", "per cent"],
];

/** Those of a quantile are its kind's own; sums may be shown in any, shares only as a ratio. */
function unitsOf(kind: Kind) {
  const { measured_as: measuredAs, units } = kindNamed(kind);
  const isQuantile = measuredAs !== "" && measuredAs !== kind;
  const ofItsOwn = isQuantile || kind === "totals";
  return UNITS.filter(([unit]) => (ofItsOwn ? units.includes(unit) : unit !== "percent" || kind === "ratio"));
}

/** All of a metric but its name. */
export function DefinitionFields({ value, set, errorFor }: Props) {
  const below = (path: string) => (part: string) => errorFor(`${path}.${part}`);
  const { is_rate: isRate, parts } = kindNamed(value.kind);
  const { data: session } = useSession();
  return (
    <>
      <div className="grid grid-cols-4 gap-1.5 py-2 max-lg:grid-cols-2" role="radiogroup" aria-label="Kind">
        {vocabulary.metric_kinds.map(({ name, title, explanation }) => (
          <label
            key={name}
            className={`cursor-pointer rounded-md border px-2 py-1 ${value.kind === name ? "border-primary bg-base-200" : "border-base-300"}`}
          >
            <span className="flex items-center gap-2">
              <input
                type="radio"
                name="kind"
                className="radio radio-xs radio-primary"
                checked={value.kind === name}
                onChange={() => set(ofKind(value, name as Kind))}
              />
              <span className="font-semibold">{title}</span>
            </span>
            <span className="quiet block text-xs">{explanation}</span>
          </label>
        ))}
      </div>
      {parts.includes("steps") && (
        <Steps steps={value.steps ?? []} set={(steps) => set({ ...value, steps })} errorFor={errorFor} />
      )}
      {parts.includes("totals") && (
        <TotalsFields totals={value.totals ?? []} set={(totals) => set({ ...value, totals })} errorFor={errorFor} />
      )}
      {parts.includes("measure") && (
        <MeasureFields
          label={value.kind === "ratio" ? "Numerator" : "What is counted"}
          anyKind={value.kind === "ratio"}
          value={value.measure ?? emptyMeasure("conversion")}
          set={(measure) => set({ ...value, measure })}
          errorFor={below("measure")}
        />
      )}
      {value.kind === "ratio" && (
        <MeasureFields
          label="Denominator"
          anyKind
          value={value.denominator ?? emptyMeasure("count")}
          set={(denominator) => set({ ...value, denominator })}
          errorFor={below("denominator")}
        />
      )}
      <div className="flex flex-wrap items-center gap-4 py-2">
        {parts.includes("steps") && (
          <Hours
            label="All steps within"
            placeholder="no limit"
            after="of the first step"
            hours={value.within_hours ?? null}
            set={(within_hours) => set({ ...value, within_hours })}
          />
        )}
        {!parts.includes("totals") && (
          <Hours
            label="Events count for"
            placeholder="the run"
            after="from the first exposure on"
            hours={value.window_hours ?? null}
            set={(window_hours) => set({ ...value, window_hours })}
          />
        )}
        <label className="flex items-center gap-2 text-sm">
          <span className="quiet">Good is</span>
          <select
            className="select select-sm w-24"
            value={value.good_direction}
            onChange={(event) => set({ ...value, good_direction: event.target.value as "up" | "down" })}
          >
            <option value="up">more</option>
            <option value="down">less</option>
          </select>
        </label>
        {!isRate && (
          <label className="flex items-center gap-2 text-sm">
            <span className="quiet">It is</span>
            <select
              className="select select-sm w-32"
              value={value.unit}
              onChange={(event) => {
                const unit = event.target.value as Definition["unit"];
                set({
                  ...value,
                  unit,
                  currency: unit === "money" ? value.currency || (session?.currency ?? "EUR") : "",
                });
              }}
            >
              {unitsOf(value.kind).map(([unit, name]) => (
                <option key={unit} value={unit}>
                  {name}
                </option>
              ))}
            </select>
          </label>
        )}
        {value.unit === "money" && (
          <label className="flex items-center gap-2 text-sm">
            <span className="quiet">in</span>
            <input
              className="input input-sm w-16"
              aria-label="Currency"
              maxLength={3}
              value={value.currency}
              onChange={(event) => set({ ...value, currency: event.target.value.toUpperCase() })}
            />
          </label>
        )}
      </div>
      {["within_hours", "window_hours", "unit", "currency", "measure", "denominator", "steps", "totals"]
        .map(errorFor)
        .filter((text) => text !== undefined)
        .map((text) => (
          <Problem key={text} text={text} />
        ))}
    </>
  );
}

interface HoursProps {
  label: string;
  placeholder: string;
  after: string;
  hours: number | null;
  set: (hours: number | null) => void;
}

/** A time in days or hours; empty for none. */
function Hours({ label, placeholder, after, hours, set }: HoursProps) {
  const inDays = hours !== null && hours % 24 === 0;
  const [unit, setUnit] = useState<24 | 1>(inDays || hours === null ? 24 : 1);
  const [typed, setTyped] = useState(hours === null ? "" : String(hours / unit));
  const change = (text: string, by: 24 | 1) => {
    setTyped(text);
    setUnit(by);
    const number = fromCanonical(text);
    if (number === null) set(null);
    else if (!Number.isNaN(number)) set(number * by);
  };
  return (
    <span className="flex items-center gap-2 text-sm">
      <label className="flex items-center gap-2">
        <span className="quiet">{label}</span>
        <NumberInput
          className="input-sm w-20"
          placeholder={placeholder}
          value={typed}
          change={(text) => change(text, unit)}
        />
      </label>
      <select
        className="select select-sm w-24"
        aria-label={`${label}: days or hours`}
        value={unit}
        onChange={(event) => change(typed, Number(event.target.value) as 24 | 1)}
      >
        <option value={24}>days</option>
        <option value={1}>hours</option>
      </select>
      <span className="quiet">{after}</span>
    </span>
  );
}

interface StepsProps {
  steps: EventFilter[];
  set: (steps: EventFilter[]) => void;
  errorFor: (path: string) => string | undefined;
}

function Steps({ steps, set, errorFor }: StepsProps) {
  return (
    <fieldset className="border-b border-base-300 py-2">
      <legend className="quiet text-sm">Steps, in this order</legend>
      <ol className="grid gap-1.5">
        {steps.map((step, index) => (
          <li key={index} className="flex items-start gap-2">
            <span className="quiet w-5 pt-1 text-right">{index + 1}</span>
            <EventFields
              label={`Step ${index + 1}`}
              value={step}
              set={(changed) => set(steps.map((line, i) => (i === index ? changed : line)))}
              errorFor={(path) => errorFor(`steps.${index}.${path}`)}
            />
            {steps.length > 2 && (
              <button
                type="button"
                className="btn btn-xs"
                aria-label={`Remove step ${index + 1}`}
                onClick={() => set(steps.filter((_, i) => i !== index))}
              >
                ✕
              </button>
            )}
          </li>
        ))}
      </ol>
      {steps.length < 10 && (
        <button type="button" className="btn btn-xs mt-1 ml-7" onClick={() => set([...steps, NO_EVENT])}>
          Another step
        </button>
      )}
    </fieldset>
  );
}
