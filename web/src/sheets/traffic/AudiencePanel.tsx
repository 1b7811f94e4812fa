import type { ConditionGroup } from "../../api/client";
import { AT_EXPOSURE, useSeenProperties } from "../../api/hooks";
import { useDraftOver } from "../../lib/drafts";
import { FormError, Panel } from "../../parts/basics";
import { useEditing } from "../editing";
import { DeliveryForAReason } from "../ForAReason";
import { ConditionGroups, NEW_GROUP } from "../../library/ConditionGroups";
import { AudienceLibrary } from "./AudienceLibrary";
import { AudienceSize } from "./AudienceSize";
import { VisitorCheck } from "./VisitorCheck";

/** Who qualifies: groups of conditions that must all hold, from the library or made here. */
export function AudiencePanel() {
  const { experiment, save, mayEdit: allowed, ruleLocked, errorFor, error } = useEditing();
  const mayEdit = allowed && !ruleLocked;
  const [draft, setDraft] = useDraftOver<ConditionGroup[]>("audience rules", experiment.audience_rules);
  const groups = draft ?? experiment.audience_rules;
  const seen = useSeenProperties(AT_EXPOSURE);
  const changed = draft !== null && JSON.stringify(draft) !== JSON.stringify(experiment.audience_rules);
  return (
    <Panel
      fold="audience"
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
        </div>
      )}
      <AudienceSize groups={groups} />
      {mayEdit && <AudienceLibrary groups={groups} take={setDraft} />}
      {changed && error && <FormError error={error} />}
      <VisitorCheck />
    </Panel>
  );
}
