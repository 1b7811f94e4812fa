import { useState } from "react";
import type { SegmentEvidence } from "../../api/client";
import { useSession } from "../../api/hooks";
import { useSegmentSets } from "../../api/outcome";
import { errorOf, FormError } from "../../parts/basics";
import { useEditing } from "../editing";

interface Props {
  data: SegmentEvidence;
  chosen: string;
  choose: (set: string) => void;
}

/** Segments that are read together, saved under a name for all experiments. */
export function SegmentSets({ data, chosen, choose }: Props) {
  const { experiment } = useEditing();
  const { data: session } = useSession();
  const { save, remove } = useSegmentSets(experiment.key);
  const [making, setMaking] = useState(false);
  const [name, setName] = useState("");
  const [values, setValues] = useState<string[]>([]);
  const mayEdit = session?.account?.may_edit ?? false;
  const toggle = (value: string) =>
    setValues((before) => (before.includes(value) ? before.filter((one) => one !== value) : [...before, value]));
  return (
    <>
      {data.sets.length > 0 && (
        <select
          className="select select-xs w-auto"
          aria-label="Set of segments"
          value={chosen}
          onChange={(event) => choose(event.target.value)}
        >
          <option value="">all of them</option>
          {data.sets.map((set) => (
            <option key={set.id} value={set.id}>
              {set.name}
            </option>
          ))}
        </select>
      )}
      {mayEdit && !making && data.segments.length > 1 && (
        <button className="btn btn-xs" onClick={() => setMaking(true)}>
          Save a set…
        </button>
      )}
      {mayEdit && chosen && (
        <button className="btn btn-xs" onClick={() => remove.mutate(Number(chosen), { onSuccess: () => choose("") })}>
          Delete this set
        </button>
      )}
      {making && (
        <form
          className="flex w-full flex-wrap items-center gap-2 border-t border-base-300 pt-2"
          onSubmit={(event) => {
            event.preventDefault();
            save.mutate(
              { name, by: data.by, values },
              {
                onSuccess: (kept) => {
                  setMaking(false);
                  setValues([]);
                  setName("");
                  choose(String(kept.id));
                },
              },
            );
          }}
        >
          {data.segments.map((line) => (
            <label key={line.name} className="flex items-center gap-1">
              <input
                type="checkbox"
                className="checkbox checkbox-xs checkbox-primary"
                checked={values.includes(line.name)}
                onChange={() => toggle(line.name)}
              />
              {line.name.split("=").slice(1).join("=")}
            </label>
          ))}
          <input
            className="input input-xs w-40"
            aria-label="Name of the set"
            placeholder="Name of the set"
            value={name}
            onChange={(event) => setName(event.target.value)}
          />
          <button className="btn btn-xs btn-primary">Save</button>
          <button type="button" className="btn btn-xs" onClick={() => setMaking(false)}>
            Cancel
          </button>
          {save.error && (
            <span role="alert" className="text-error">
              {errorOf(save.error, "name") ?? errorOf(save.error, "values")}
            </span>
          )}
          {!errorOf(save.error, "name") && !errorOf(save.error, "values") && <FormError error={save.error} />}
        </form>
      )}
    </>
  );
}
