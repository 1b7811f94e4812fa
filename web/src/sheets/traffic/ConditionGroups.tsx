import type { Condition, ConditionGroup } from "../../api/client";
import { ConditionFields } from "../../library/EventFields";

const EMPTY: Condition = { attribute: "", operator: "is", values: [""], kind: "text" };
export const NEW_GROUP: ConditionGroup = { kind: "all", conditions: [EMPTY] };

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
  errorFor: (path: string) => string | undefined;
}

/** Groups of conditions on properties of a visitor, as fields. */
export function ConditionGroups({ groups, set, mayEdit, name, between, opening, errorFor }: Props) {
  const put = (index: number, group: ConditionGroup) => set(groups.map((one, i) => (i === index ? group : one)));
  return groups.map((group, index) => (
    <fieldset key={index} disabled={!mayEdit} className="mb-2 border-l-2 border-base-300 pl-3">
      <div className="flex items-center gap-2 text-sm">
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
              className="btn btn-xs"
              aria-label={`Condition in ${name.toLowerCase()} ${index + 1}`}
              onClick={() => put(index, { ...group, conditions: [...group.conditions, EMPTY] })}
            >
              Condition
            </button>
            <button
              className="btn btn-xs"
              aria-label={`Remove ${name.toLowerCase()} ${index + 1}`}
              onClick={() => set(groups.filter((_, i) => i !== index))}
            >
              Remove
            </button>
          </>
        )}
      </div>
      {group.conditions.map((condition, place) => (
        <ConditionFields
          key={place}
          label={`${name} ${index + 1}, condition ${place + 1}`}
          condition={condition}
          set={(part) =>
            put(index, {
              ...group,
              conditions: group.conditions.map((one, i) => (i === place ? { ...one, ...part } : one)),
            })
          }
          remove={() => put(index, { ...group, conditions: group.conditions.filter((_, i) => i !== place) })}
          problem={["attribute", "operator", "values", "kind"]
            .map((part) => errorFor(`${index}.conditions.${place}.${part}`))
            .find(Boolean)}
        />
      ))}
      {group.conditions.length === 0 && <p className="text-sm text-error">A group needs a condition.</p>}
    </fieldset>
  ));
}
