import { useState } from "react";
import type { NeverCounted } from "../../api/client";
import { AT_EXPOSURE, useSeenProperties } from "../../api/hooks";
import { useKeepNeverCounted, useNeverCounted } from "../../api/running";
import { FormError, Panel } from "../../parts/basics";
import { ChoiceField, NumberField } from "../../parts/fields";
import { useEditing } from "../editing";
import { ForAReason } from "../ForAReason";
import { ConditionGroups, NEW_GROUP } from "../../library/ConditionGroups";

const IDENTITIES = [
  { value: "id", label: "Every id that is sent is a unit" },
  { value: "person", label: "All ids of a person are one unit" },
] as const;

/** Ids as they are typed: one a line, or with commas between. */
export function readIds(text: string): string[] {
  const ids = text
    .split(/[,\n]/)
    .map((id) => id.trim())
    .filter(Boolean);
  return [...new Set(ids)];
}

/** Which ids are one unit, and who is never counted: own staff, monitors, test visits. */
export function WhoCounts() {
  const { experiment, mayEdit: allowed, locked, ruleLocked, saving } = useEditing();
  const mayEdit = allowed && !ruleLocked && !saving;
  return (
    <Panel
      fold="who-counts"
      title="Who counts"
      note={experiment.never_counted_in_words ? "not everybody" : "everybody who is exposed"}
      line={experiment.never_counted_in_words ? `never: ${experiment.never_counted_in_words}` : undefined}
    >
      {allowed && locked && (
        <ForAReason what="Who counts" ask="Why must it change after the start? All days will be counted again." />
      )}
      {locked && saving && (
        <p role="status" className="quiet text-sm">
          Counting all days again…
        </p>
      )}
      {experiment.data_from === "events" && <Identity mayEdit={mayEdit} />}
      <NeverCountedFields mayEdit={mayEdit} />
    </Panel>
  );
}

function Identity({ mayEdit }: { mayEdit: boolean }) {
  const { experiment, save } = useEditing();
  return (
    <>
      <ChoiceField
        label="Who is a unit"
        value={experiment.identity}
        options={IDENTITIES}
        save={(identity) => save({ identity })}
        locked={!mayEdit}
      />
      <p className="quiet mt-1 text-sm">
        {experiment.identity === "person"
          ? "A person counts in the variant that any of the ids saw first, with all that was done under them. "
          : "Somebody who signs in on the way, or has two devices, counts once for every id. "}
        Ids of one person are linked by the event <span className="font-mono">same_person</span>; the Watch sheet shows
        how many there are.
      </p>
    </>
  );
}

function NeverCountedFields({ mayEdit }: { mayEdit: boolean }) {
  const { experiment, save, errorFor, error } = useEditing();
  const workspace = useNeverCounted();
  const keep = useKeepNeverCounted();
  const [draft, setDraft] = useState<NeverCounted | null>(null);
  const [typed, setTyped] = useState<string | null>(null);
  const seen = useSeenProperties(AT_EXPOSURE);
  const kept = experiment.never_counted;
  const shown = draft ?? kept;
  const wanted = typed === null ? shown : { ...shown, units: readIds(typed) };
  const changed = JSON.stringify(wanted) !== JSON.stringify(kept);
  const problem = errorFor("never_counted.units");
  const same = JSON.stringify(workspace.data) === JSON.stringify(kept);
  const forget = () => {
    setDraft(null);
    setTyped(null);
  };
  return (
    <div className="mt-3 border-t border-base-300 pt-2">
      <label className="block">
        <span className="mb-1 block font-semibold">Never counted</span>
        <span className="quiet block text-sm">
          Ids of own staff, monitors and test visits, one a line. They see the test, and come into no figure.
          {experiment.data_from === "files" &&
            " Their rows in files of units are left out, by the rules too where the file has the property as a column; daily counts are taken as they are."}
        </span>
        <textarea
          className={`textarea textarea-sm w-full font-mono ${problem ? "textarea-error" : ""}`}
          rows={Math.min(Math.max(wanted.units.length, 1) + 1, 6)}
          aria-invalid={Boolean(problem)}
          placeholder="monitor-1"
          readOnly={!mayEdit}
          value={typed ?? shown.units.join("\n")}
          onChange={(event) => setTyped(event.target.value)}
        />
      </label>
      {problem && <p className="text-sm text-error">{problem}</p>}
      <div className="mt-2">
        <ConditionGroups
          seen={seen}
          groups={shown.groups}
          set={(groups) => setDraft({ ...shown, groups })}
          mayEdit={mayEdit}
          name="Rule"
          between="or"
          opening="And whoever has, when first exposed:"
          errorFor={(path) => errorFor(`never_counted.groups.${path}`)}
        />
      </div>
      {experiment.data_from === "events" && (
        <div className="mt-2">
          <NumberField
            label="And ids with more than so many events"
            value={shown.more_than ?? null}
            save={(more_than) => setDraft({ ...shown, more_than })}
            whole
            locked={!mayEdit}
            error={errorFor("never_counted.more_than")}
            unit="events"
            note="Robots. Set it higher than any variant could make a person do; empty where nobody is left out for it."
          />
        </div>
      )}
      {mayEdit && (
        <div className="mt-2 flex flex-wrap items-center gap-2">
          <button className="btn btn-xs" onClick={() => setDraft({ ...shown, groups: [...shown.groups, NEW_GROUP] })}>
            {shown.groups.length ? "One rule more" : "Add a rule on a property"}
          </button>
          {changed ? (
            <>
              <button className="btn btn-xs btn-primary" onClick={() => save({ never_counted: wanted })}>
                Save who is never counted
              </button>
              <button className="btn btn-xs" onClick={forget}>
                Discard
              </button>
              <span className="quiet text-sm">not saved yet</span>
            </>
          ) : (
            workspace.data &&
            !same && (
              <>
                <button
                  className="btn btn-xs"
                  onClick={() => {
                    forget();
                    save({ never_counted: workspace.data });
                  }}
                >
                  Take the workspace's list
                </button>
                <button className="btn btn-xs" onClick={() => keep.mutate(kept)}>
                  Make this the workspace's list
                </button>
                <span className="quiet text-sm">new experiments begin with the workspace's list</span>
              </>
            )
          )}
        </div>
      )}
      {changed && <FormError error={error} />}
      <FormError error={keep.error} />
    </div>
  );
}
