import { useState } from "react";
import type { Condition, ConditionGroup } from "../../api/client";
import { useAudiences, useKeepAudience } from "../../api/running";
import { ConditionFields } from "../../library/EventFields";
import { FormError, Panel } from "../../parts/basics";
import { useEditing } from "../editing";
import { DeliveryForAReason } from "../ForAReason";
import { VisitorCheck } from "./VisitorCheck";

const EMPTY: Condition = { attribute: "", operator: "is", values: [""], kind: "text" };

/** Who qualifies: groups of conditions that must all hold, from the library or made here. */
export function AudiencePanel() {
  const { experiment, save, mayEdit: allowed, ruleLocked, errorFor, error } = useEditing();
  const mayEdit = allowed && !ruleLocked;
  const [draft, setDraft] = useState<ConditionGroup[] | null>(null);
  const groups = draft ?? experiment.audience_rules;
  const changed = draft !== null && JSON.stringify(draft) !== JSON.stringify(experiment.audience_rules);
  const set = (index: number, group: ConditionGroup) => setDraft(groups.map((g, i) => (i === index ? group : g)));
  return (
    <Panel
      title="Audience"
      note={experiment.audience_rules.length ? experiment.audience_in_words : "everybody qualifies"}
    >
      <DeliveryForAReason />
      {groups.map((group, index) => (
        <fieldset key={index} disabled={!mayEdit} className="mb-2 border-l-2 border-base-300 pl-3">
          <div className="flex items-center gap-2 text-sm">
            <span className="quiet">{index ? "and" : "Must hold:"}</span>
            <select
              className="select select-xs w-24"
              aria-label={`Group ${index + 1}: how many must hold`}
              value={group.kind}
              disabled={!mayEdit}
              onChange={(event) => set(index, { ...group, kind: event.target.value as "all" | "any" })}
            >
              <option value="all">all of</option>
              <option value="any">any of</option>
            </select>
            {mayEdit && (
              <>
                <button
                  className="btn btn-xs"
                  aria-label={`Condition in group ${index + 1}`}
                  onClick={() => set(index, { ...group, conditions: [...group.conditions, EMPTY] })}
                >
                  Condition
                </button>
                <button
                  className="btn btn-xs"
                  aria-label={`Remove group ${index + 1}`}
                  onClick={() => setDraft(groups.filter((_, i) => i !== index))}
                >
                  Remove
                </button>
              </>
            )}
          </div>
          {group.conditions.map((condition, place) => (
            <ConditionFields
              key={place}
              label={`Group ${index + 1}, condition ${place + 1}`}
              condition={condition}
              set={(part) =>
                set(index, {
                  ...group,
                  conditions: group.conditions.map((c, i) => (i === place ? { ...c, ...part } : c)),
                })
              }
              remove={() => set(index, { ...group, conditions: group.conditions.filter((_, i) => i !== place) })}
              problem={["attribute", "operator", "values", "kind"]
                .map((part) => errorFor(`audience_rules.${index}.conditions.${place}.${part}`))
                .find(Boolean)}
            />
          ))}
          {group.conditions.length === 0 && <p className="text-sm text-error">A group needs a condition.</p>}
        </fieldset>
      ))}
      {mayEdit && (
        <div className="flex flex-wrap items-center gap-2">
          <button className="btn btn-xs" onClick={() => setDraft([...groups, { kind: "all", conditions: [EMPTY] }])}>
            {groups.length ? "One group more" : "Add a rule"}
          </button>
          {changed && (
            <>
              <button className="btn btn-xs btn-primary" onClick={() => save({ audience_rules: draft })}>
                Save rules
              </button>
              <button className="btn btn-xs" onClick={() => setDraft(null)}>
                Discard
              </button>
              <span className="quiet text-sm">not saved yet</span>
            </>
          )}
          {!changed && <Library take={(wanted) => save({ audience_rules: wanted })} />}
        </div>
      )}
      {changed && error && <FormError error={error} />}
      <VisitorCheck />
    </Panel>
  );
}

/** Rules kept for reuse: take some, keep these, remove some. An experiment has its own copy. */
function Library({ take }: { take: (groups: ConditionGroup[]) => void }) {
  const { experiment } = useEditing();
  const audiences = useAudiences();
  const { keep, remove } = useKeepAudience();
  const [name, setName] = useState("");
  const [chosen, setChosen] = useState("");
  const match = audiences.data?.find((audience) => String(audience.id) === chosen);
  return (
    <>
      {audiences.data && audiences.data.length > 0 && (
        <span className="flex items-center gap-2">
          <select
            className="select select-xs w-52"
            aria-label="Audience from the library"
            value={chosen}
            onChange={(event) => setChosen(event.target.value)}
          >
            <option value="">From the library…</option>
            {audiences.data.map((audience) => (
              <option key={audience.id} value={audience.id}>
                {audience.name}
              </option>
            ))}
          </select>
          {match && (
            <>
              <span className="quiet text-sm">{match.words}</span>
              <button className="btn btn-xs" onClick={() => take(match.groups)}>
                Use it
              </button>
              <button
                className="btn btn-xs"
                onClick={() => remove.mutate(match.id, { onSuccess: () => setChosen("") })}
              >
                Remove
              </button>
            </>
          )}
        </span>
      )}
      {experiment.audience_rules.length > 0 && (
        <form
          className="flex items-center gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            keep.mutate({ name, description: "", groups: experiment.audience_rules }, { onSuccess: () => setName("") });
          }}
        >
          <input
            className="input input-xs w-44"
            aria-label="Name for the library"
            placeholder="Visitors on phones"
            value={name}
            onChange={(event) => setName(event.target.value)}
          />
          <button className="btn btn-xs" disabled={!name.trim()}>
            Save to the library
          </button>
        </form>
      )}
      <FormError error={keep.error} />
    </>
  );
}
