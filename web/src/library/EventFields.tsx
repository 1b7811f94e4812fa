import type { Condition, EventFilter } from "../api/client";
import { useEventNames, useSeenProperties } from "../api/hooks";
import { ComboInput } from "../parts/ComboInput";
import { ConditionGroups, ConditionLines } from "./ConditionGroups";
import { Problem } from "./ConditionFields";
import { NEW_CONDITION } from "./kinds";

interface Props {
  label: string;
  value: EventFilter;
  set: (value: EventFilter) => void;
  /** Message of the server for a path below this one, such as "conditions.0.values". */
  errorFor: (path: string) => string | undefined;
}

/** An event by name, or any of several, under conditions on its properties: all of them, and of a group any one. */
export function EventFields({ label, value, set, errorFor }: Props) {
  const names = useEventNames();
  const conditions = value.conditions ?? [];
  const others = value.or_events ?? [];
  const groups = value.groups ?? [];
  const all = [value.event, ...others];
  const seen = useSeenProperties(all.filter(Boolean));
  const add = (...added: Condition[]) => set({ ...value, conditions: [...conditions, ...added] });
  const problem = errorFor("event") ?? errorFor("or_events") ?? errorFor("groups");
  return (
    <div>
      <div className="flex flex-wrap items-center gap-2">
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
          aria-label={`${label}: or another event`}
          onClick={() => set({ ...value, or_events: [...others, ""] })}
        >
          or…
        </button>
        <button type="button" className="btn btn-xs" onClick={() => add(NEW_CONDITION)}>
          where…
        </button>
        <button
          type="button"
          className="btn btn-xs"
          onClick={() => set({ ...value, groups: [...groups, { kind: "any", conditions: [NEW_CONDITION] }] })}
        >
          where any of…
        </button>
        {all.includes("page_view") && conditions.length === 0 && (
          <>
            <button type="button" className="btn btn-xs" onClick={() => add({ ...NEW_CONDITION, attribute: "page" })}>
              page by name
            </button>
            <button
              type="button"
              className="btn btn-xs"
              onClick={() => add({ ...NEW_CONDITION, attribute: "address", operator: "contains" })}
            >
              page by address
            </button>
          </>
        )}
      </div>
      {others.map((name, index) => (
        <div key={index} className="mt-1 ml-4 flex items-center gap-2">
          <span className="quiet text-sm">or</span>
          <ComboInput
            label={`${label}: event ${index + 2}`}
            hideLabel
            className="w-52"
            placeholder="booking_requested"
            value={name}
            change={(event) =>
              set({ ...value, or_events: others.map((line, place) => (place === index ? event : line)) })
            }
            options={names}
          />
          <button
            type="button"
            className="btn btn-xs"
            aria-label={`${label}: remove event ${index + 2}`}
            onClick={() => set({ ...value, or_events: others.filter((_, place) => place !== index) })}
          >
            ✕
          </button>
          {errorFor(`or_events.${index}`) && <Problem text={errorFor(`or_events.${index}`) ?? ""} />}
        </div>
      ))}
      {problem && <Problem text={problem} />}
      <ConditionLines
        label={label}
        conditions={conditions}
        set={(changed) => set({ ...value, conditions: changed })}
        seen={seen}
        errorFor={errorFor}
      />
      <div className="mt-1 ml-4">
        <ConditionGroups
          groups={groups}
          set={(changed) => set({ ...value, groups: changed })}
          mayEdit
          name={`${label}: group`}
          between="and"
          opening="where"
          seen={seen}
          errorFor={(path) => errorFor(`groups.${path}`)}
        />
      </div>
    </div>
  );
}
