import { useState } from "react";
import { useSession, useZone } from "../api/hooks";
import { useForgetting, useForgotten } from "../api/running";
import { count, moment, plural } from "../lib/format";
import { Failure, Panel } from "../parts/basics";

/** Everything by a person's ids is erased here; who keeps events elsewhere gets the list of the ids. */
export function Forget() {
  const { data: session } = useSession();
  const zone = useZone();
  const mayEdit = session?.account?.may_edit ?? false;
  if (!mayEdit) return null;
  return (
    <Panel
      title="Forget a person"
      note="everything by any of their ids is erased, and what is open is counted without them"
    >
      <Ask />
      <Done zone={zone} />
    </Panel>
  );
}

function Ask() {
  const { look, forget } = useForgetting();
  const [unit, setUnit] = useState("");
  const known = look.data;
  const clear = () => [setUnit(""), look.reset()];
  return (
    <>
      <form
        className="flex flex-wrap items-end gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          forget.reset();
          look.mutate(unit);
        }}
      >
        <label>
          <span className="quiet block text-sm">One of their ids</span>
          <input
            className="input input-sm w-72"
            value={unit}
            maxLength={200}
            onChange={(event) => [setUnit(event.target.value), look.reset()]}
          />
        </label>
        <button className="btn btn-sm" disabled={!unit.trim() || look.isPending}>
          What is there?
        </button>
      </form>
      {look.isError && <Failure error={look.error} />}
      {known && (
        <div role="status" className="mt-3 border-l-4 border-l-warning pl-3">
          <p>
            <b>{plural(known.events, "event")}</b> of {known.ids.length === 1 ? "this id" : known.ids.join(", ")}.{" "}
            {known.made_again.length > 0 && `Counted again without them: ${known.made_again.join(", ")}. `}
            {known.decided.length > 0 && `Sums of what is over stay: ${known.decided.join(", ")}. `}
            {known.named_in.length > 0 &&
              `Take the id out of the plan first (forced, or never counted): ${known.named_in.join(", ")}.`}
          </p>
          <div className="mt-2 flex gap-2">
            <button
              type="button"
              className="btn btn-sm btn-error"
              disabled={known.named_in.length > 0 || forget.isPending}
              onClick={() => forget.mutate(unit, { onSuccess: () => void clear() })}
            >
              Forget, for good
            </button>
            <button type="button" className="btn btn-sm" onClick={clear}>
              Cancel
            </button>
          </div>
        </div>
      )}
      {forget.isError && <Failure error={forget.error} />}
    </>
  );
}

function Done({ zone }: { zone: string }) {
  const forgotten = useForgotten();
  const { erased } = useForgetting();
  const lines = forgotten.data ?? [];
  if (lines.length === 0) return null;
  const waiting = lines.filter((line) => line.erased_there_at === null);
  return (
    <div className="mt-3">
      {waiting.length > 0 && (
        <p className="text-sm">
          {plural(waiting.length, "person").replace("persons", "people")} to be erased where your data live too:{" "}
          <a className="link" href="/api/v1/forgotten.csv">
            the list of their ids
          </a>
          . Until then they are left out of what is counted there.
        </p>
      )}
      <ul aria-label="Who was forgotten">
        {lines.map((line) => (
          <li
            key={line.id}
            className="flex flex-wrap items-center gap-x-3 border-b border-base-300 py-1.5 text-sm last:border-b-0"
          >
            <span className="grow">
              {moment(line.at, zone)} by {line.by}: {plural(line.events, "event")}, out of {count(line.experiments)}{" "}
              open {line.experiments === 1 ? "experiment" : "experiments"}
              {line.erased_there_at !== null && `; erased elsewhere ${moment(line.erased_there_at, zone)}`}
            </span>
            {line.erased_there_at === null && (
              <button
                type="button"
                className="btn btn-xs"
                disabled={erased.isPending}
                onClick={() => erased.mutate(line.id)}
              >
                Erased there too
              </button>
            )}
          </li>
        ))}
      </ul>
      {erased.isError && <Failure error={erased.error} />}
    </div>
  );
}
