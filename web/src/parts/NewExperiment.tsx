import { useState } from "react";
import { useNavigate } from "react-router";
import type { ExperimentChanges } from "../api/client";
import { useCreate } from "../api/hooks";
import { useCreateRegionTest } from "../api/regions";
import { FormError } from "./basics";
import { Dialog } from "./Dialog";
import { RadioCard } from "./RadioCard";

/** Asks for a name and opens the brief; `changes` are what is known already (from the scratchpad). */
export function NewExperiment({ close, changes }: { close: () => void; changes?: ExperimentChanges }) {
  const create = useCreate();
  const navigate = useNavigate();
  const createByRegion = useCreateRegionTest();
  const [name, setName] = useState("");
  const [byRegion, setByRegion] = useState(false);
  const submit = async () => {
    const made = byRegion
      ? await createByRegion.mutateAsync(name)
      : await create.mutateAsync(changes ? { name, changes } : { name });
    close();
    void navigate(`/experiments/${made.key}/brief`);
  };
  return (
    <Dialog title="A new experiment" close={close}>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          void submit().catch(() => undefined);
        }}
      >
        <label className="block">
          <span className="quiet mb-1 block text-sm">What is tested?</span>
          <input
            className="input w-full"
            autoFocus
            maxLength={120}
            value={name}
            onChange={(event) => setName(event.target.value)}
            placeholder="Larger ticket button"
          />
        </label>
        {!changes && (
          <fieldset className="mt-3 grid gap-2">
            <legend className="quiet mb-1 text-sm">Who is split</legend>
            <RadioCard
              group="basis"
              name="By visitor"
              description="Each visitor gets one variant."
              chosen={!byRegion}
              choose={() => setByRegion(false)}
            />
            <RadioCard
              group="basis"
              name="By region"
              description="Advertising that cannot be split by visitor is withheld in some regions, and the difference set against the money."
              chosen={byRegion}
              choose={() => setByRegion(true)}
            />
          </fieldset>
        )}
        <FormError error={byRegion ? createByRegion.error : create.error} />
        <div className="mt-4 flex justify-end gap-2">
          <button type="button" className="btn btn-sm" onClick={close}>
            Cancel
          </button>
          <button className="btn btn-primary btn-sm" disabled={create.isPending || createByRegion.isPending}>
            Create
          </button>
        </div>
      </form>
    </Dialog>
  );
}
