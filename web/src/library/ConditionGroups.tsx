import type { Condition, ConditionGroup } from "../api/client";
import { ConditionFields } from "./ConditionFields";
import { NEW_CONDITION } from "./kinds";

export const NEW_GROUP: ConditionGroup = { kind: "all", conditions: [NEW_CONDITION] };

interface Props {
  groups: ConditionGroup[];
  set: (groups: ConditionGroup[]) => void;
  mayEdit: boolean;
  /** What one of them is called: "Group". */
  name: string;
  /** How they are joined, and what stands before the first. */
  between: "and" | "or";
  opening: string;
  /** Message of the server for a path below the list, such as "0.conditions.1.values". */
  /** Properties that were seen, with their most frequent values. */
  seen: Map<string, string[]>;
  errorFor: (path: string) => string | undefined;
}

/** Groups of conditions on properties of a visitor or an event, as fields. */
export function ConditionGroups({ groups, set, mayEdit, name, between, opening, seen, errorFor }: Props) {
  const put = (index: number, group: ConditionGroup) => set(groups.map((one, i) => (i === index ? group : one)));
  return groups.map((group, index) => (
    <fieldset key={index} disabled={!mayEdit} className="mb-2 border-l-2 border-base-300 pl-3">
      <div className="flex flex-wrap items-center gap-2 text-sm">
        <span className="quiet">{index ? between : opening}</span>
        <select
          className="select select-xs w-24"
          aria-label={`${name} ${index + 1}: how many must hold`}
          value={group.kind}
          disabled={!mayEdit}
          onChange={(event) => put(index, { ...group, kind: event.target.value as "all" | "any" })}
        >
          <option value="all">all of</option>
          <option value="any">any of</option>
        </select>
        {mayEdit && (
          <>
            <button
              type="button"
              className="btn btn-xs"
              aria-label={`Condition in ${name.toLowerCase()} ${index + 1}`}
              onClick={() => put(index, { ...group, conditions: [...group.conditions, NEW_CONDITION] })}
            >
              Condition
            </button>
            <button
              type="button"
              className="btn btn-xs"
              aria-label={`Remove ${name.toLowerCase()} ${index + 1}`}
              onClick={() => set(groups.filter((_, i) => i !== index))}
            >
              Remove
            </button>
          </>
        )}
      </div>
      <ConditionLines
        label={`${name} ${index + 1}`}
        conditions={group.conditions}
        set={(conditions) => put(index, { ...group, conditions })}
        seen={seen}
        errorFor={(path) => errorFor(`${index}.${path}`)}
      />
      {group.conditions.length === 0 && <p className="text-sm text-error">A group needs a condition.</p>}
    </fieldset>
  ));
}

interface LinesProps {
  label: string;
  conditions: Condition[];
  set: (conditions: Condition[]) => void;
  seen: Map<string, string[]>;
  errorFor: (path: string) => string | undefined;
}

/** Conditions one under the other. */
export function ConditionLines({ label, conditions, set, seen, errorFor }: LinesProps) {
  return conditions.map((condition, index) => (
    <ConditionFields
      key={index}
      label={`${label}, condition ${index + 1}`}
      condition={condition}
      seen={seen}
      set={(part) => set(conditions.map((line, place) => (place === index ? { ...line, ...part } : line)))}
      remove={() => set(conditions.filter((_, place) => place !== index))}
      problem={["attribute", "operator", "values", "kind"]
        .map((part) => errorFor(`conditions.${index}.${part}`))
        .find(Boolean)}
    />
  ));
}
