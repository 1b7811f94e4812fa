import type { Condition } from "../api/client";
import { ComboInput } from "../parts/ComboInput";
import { OF_MANY, OPERATOR_NAMES, OPERATORS, VALUE_KINDS } from "./kinds";

/** One condition on a property, of an event or of a visitor. */
interface ConditionProps {
  label: string;
  condition: Condition;
  set: (part: Partial<Condition>) => void;
  remove: () => void;
  problem: string | undefined;
  /** Properties that were seen, with their most frequent values. */
  seen?: Map<string, string[]>;
}

export function ConditionFields({ label, condition, set, remove, problem, seen }: ConditionProps) {
  const kind = condition.kind ?? "text";
  const operator = condition.operator ?? "is";
  const values = condition.values ?? [];
  const many = OF_MANY.includes(operator) || operator === "between";
  const known = kind === "true_false" ? ["true", "false"] : (seen?.get(condition.attribute) ?? []);
  return (
    <div className="mt-1 ml-4 max-sm:ml-0">
      <div className="flex flex-wrap items-center gap-1.5">
        <ComboInput
          label={`${label}: property`}
          hideLabel
          className="w-32"
          placeholder="section"
          value={condition.attribute}
          change={(attribute) => set({ attribute })}
          options={[...(seen?.keys() ?? [])].sort()}
        />
        <select
          className="select select-sm w-24"
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
          className="select select-sm w-32"
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
        {operator !== "is_set" && !many && (
          <ComboInput
            label={`${label}: value`}
            hideLabel
            className="w-36"
            value={values[0] ?? ""}
            change={(text) => set({ values: [text] })}
            options={known}
          />
        )}
        {operator !== "is_set" && many && (
          <input
            className="input input-sm w-36"
            aria-label={`${label}: values, separated by commas`}
            placeholder={known.length > 0 ? known.slice(0, 2).join(", ") : "cabins, decks"}
            value={values.join(", ")}
            onChange={(event) => set({ values: event.target.value.split(",").map((part) => part.trimStart()) })}
            onBlur={() => set({ values: values.map((part) => part.trim()).filter(Boolean) })}
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
