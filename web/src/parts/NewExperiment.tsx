import { useState } from "react";
import { useNavigate } from "react-router";
import type { ExperimentChanges } from "../api/client";
import { useCreate } from "../api/hooks";
import { FormError } from "./basics";
import { Dialog } from "./Dialog";

/** Asks for a name and opens the brief; `changes` are what is known already (from the scratchpad). */
export function NewExperiment({ close, changes }: { close: () => void; changes?: ExperimentChanges }) {
  const create = useCreate();
  const navigate = useNavigate();
  const [name, setName] = useState("");
  const submit = async () => {
    const made = await create.mutateAsync(changes ? { name, changes } : { name });
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
        <FormError error={create.error} />
        <div className="mt-4 flex justify-end gap-2">
          <button type="button" className="btn btn-sm" onClick={close}>
            Cancel
          </button>
          <button className="btn btn-primary btn-sm" disabled={create.isPending}>
            Create
          </button>
        </div>
      </form>
    </Dialog>
  );
}
