import type { Condition, EventFilter } from "../api/client";
import { useEventNames } from "../api/hooks";
import { ComboInput } from "../parts/ComboInput";
import { OPERATOR_NAMES, OPERATORS, VALUE_KINDS } from "./kinds";

interface Props {
  label: string;
  value: EventFilter;
  set: (value: EventFilter) => void;
  /** Message of the server for a path below this one, such as "conditions.0.values". */
  errorFor: (path: string) => string | undefined;
}

/** An event by name, under any number of conditions on its properties. */
export function EventFields({ label, value, set, errorFor }: Props) {
  const names = useEventNames();
  const conditions = value.conditions ?? [];
  const change = (index: number, part: Partial<Condition>) =>
    set({ ...value, conditions: conditions.map((line, i) => (i === index ? { ...line, ...part } : line)) });
  const problem = errorFor("event");
  return (
    <div>
      <div className="flex items-center gap-2">
        <ComboInput
          label={`${label}: event`}
          hideLabel
          className="w-56"
          placeholder="booking_paid"
          value={value.event}
          change={(event) => set({ ...value, event })}
          options={names}
        />
        <button
          type="button"
          className="btn btn-xs"
          onClick={() =>
            set({
              ...value,
              conditions: [...conditions, { attribute: "", operator: "is", values: [""], kind: "text" }],
            })
          }
        >
          where…
        </button>
      </div>
      {problem && <Problem text={problem} />}
      {conditions.map((condition, index) => (
        <ConditionFields
          key={index}
          label={`${label}, condition ${index + 1}`}
          condition={condition}
          set={(part) => change(index, part)}
          remove={() => set({ ...value, conditions: conditions.filter((_, i) => i !== index) })}
          problem={["attribute", "operator", "values", "kind"]
            .map((part) => errorFor(`conditions.${index}.${part}`))
            .find(Boolean)}
        />
      ))}
    </div>
  );
}

/** One condition on a property, of an event or of a visitor. */
interface ConditionProps {
  label: string;
  condition: Condition;
  set: (part: Partial<Condition>) => void;
  remove: () => void;
  problem: string | undefined;
}

export function ConditionFields({ label, condition, set, remove, problem }: ConditionProps) {
  const kind = condition.kind ?? "text";
  const operator = condition.operator ?? "is";
  const values = condition.values ?? [];
  const many = operator === "any_of" || operator === "between";
  return (
    <div className="mt-1 ml-4">
      <div className="flex flex-wrap items-center gap-1.5">
        <input
          className="input input-sm w-32"
          aria-label={`${label}: property`}
          placeholder="section"
          value={condition.attribute}
          onChange={(event) => set({ attribute: event.target.value })}
        />
        <select
          className="select select-sm w-32"
          aria-label={`${label}: kind`}
          value={kind}
          onChange={(event) => {
            const next = event.target.value as typeof kind;
            set({ kind: next, operator: OPERATORS[next].includes(operator) ? operator : "is" });
          }}
        >
          {Object.entries(VALUE_KINDS).map(([key, name]) => (
            <option key={key} value={key}>
              {name}
            </option>
          ))}
        </select>
        <select
          className="select select-sm w-36"
          aria-label={`${label}: operator`}
          value={operator}
          onChange={(event) => {
            const next = event.target.value as typeof operator;
            set({ operator: next, values: next === "is_set" ? [] : values.length ? values : [""] });
          }}
        >
          {OPERATORS[kind].map((name) => (
            <option key={name} value={name}>
              {OPERATOR_NAMES[name]}
            </option>
          ))}
        </select>
        {operator !== "is_set" && (
          <input
            className="input input-sm w-44"
            aria-label={`${label}: ${many ? "values, separated by commas" : "value"}`}
            placeholder={many ? "cabins, decks" : ""}
            value={many ? values.join(", ") : (values[0] ?? "")}
            onChange={(event) =>
              set({
                values: many ? event.target.value.split(",").map((part) => part.trimStart()) : [event.target.value],
              })
            }
            onBlur={() => many && set({ values: values.map((part) => part.trim()).filter(Boolean) })}
          />
        )}
        <button type="button" className="btn btn-xs" aria-label={`Remove ${label}`} onClick={remove}>
          ✕
        </button>
      </div>
      {problem && <Problem text={problem} />}
    </div>
  );
}

export function Problem({ text }: { text: string }) {
  return (
    <div role="alert" className="text-sm text-error">
      {text}
    </div>
  );
}
