import { useState } from "react";
import type { ConditionGroup } from "../../api/client";
import { AT_EXPOSURE, useSeenProperties } from "../../api/hooks";
import { useAudiences, useKeepAudience } from "../../api/running";
import { FormError, Panel } from "../../parts/basics";
import { useEditing } from "../editing";
import { DeliveryForAReason } from "../ForAReason";
import { ConditionGroups, NEW_GROUP } from "../../library/ConditionGroups";
import { VisitorCheck } from "./VisitorCheck";

/** Who qualifies: groups of conditions that must all hold, from the library or made here. */
export function AudiencePanel() {
  const { experiment, save, mayEdit: allowed, ruleLocked, errorFor, error } = useEditing();
  const mayEdit = allowed && !ruleLocked;
  const [draft, setDraft] = useState<ConditionGroup[] | null>(null);
  const groups = draft ?? experiment.audience_rules;
  const seen = useSeenProperties(AT_EXPOSURE);
  const changed = draft !== null && JSON.stringify(draft) !== JSON.stringify(experiment.audience_rules);
  return (
    <Panel
      title="Audience"
      note={experiment.audience_rules.length ? experiment.audience_in_words : "everybody qualifies"}
    >
      <DeliveryForAReason />
      <ConditionGroups
        seen={seen}
        groups={groups}
        set={setDraft}
        mayEdit={mayEdit}
        name="Group"
        between="and"
        opening="Must hold:"
        errorFor={(path) => errorFor(`audience_rules.${path}`)}
      />
      {mayEdit && (
        <div className="flex flex-wrap items-center gap-2">
          <button className="btn btn-xs" onClick={() => setDraft([...groups, NEW_GROUP])}>
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
