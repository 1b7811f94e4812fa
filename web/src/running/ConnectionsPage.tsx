import { useState } from "react";
import { PropertyLines } from "../library/PropertyLines";
import { useSession } from "../api/hooks";
import { useChooseSegments, useKeyActions, useMachineKeys, useSegments } from "../api/running";
import { moment } from "../lib/format";
import { Failure, FormError, Panel, Skeleton } from "../parts/basics";
import { CopyText } from "../parts/CopyText";

/** How other systems reach us: keys, addresses, and the properties that visitors are counted by. */
export function ConnectionsPage() {
  return (
    <main className="mx-auto grid max-w-[900px] gap-3 px-6 pt-5 pb-12 max-sm:px-3">
      <h1 className="text-[27px]">Connections</h1>
      <Keys />
      <SegmentChoice />
      <Addresses />
    </main>
  );
}

function Keys() {
  const { data: session } = useSession();
  const machineKeys = useMachineKeys();
  const { make, withdraw } = useKeyActions();
  const [name, setName] = useState("");
  const mayEdit = session?.account?.may_edit ?? false;
  const zone = session?.time_zone ?? "UTC";
  return (
    <Panel title="API keys" note="a system sends its key as Authorization: Bearer nv_…">
      {machineKeys.isPending && <Skeleton rows={2} />}
      {machineKeys.isError && <Failure error={machineKeys.error} />}
      {machineKeys.data?.length === 0 && <p className="quiet">No system has a key yet.</p>}
      <ul>
        {machineKeys.data?.map((key) => (
          <li key={key.id} className="flex flex-wrap items-center gap-3 border-b border-base-300 py-1.5">
            <span className={key.withdrawn_at ? "quiet line-through" : "font-semibold"}>{key.name}</span>
            <span className="font-mono text-sm">{key.start}…</span>
            <span className="quiet grow text-sm">
              made by {key.made_by} {moment(key.made_at, zone)}
              {key.withdrawn_at && `, withdrawn ${moment(key.withdrawn_at, zone)}`}
            </span>
            {mayEdit && !key.withdrawn_at && (
              <button
                className="btn btn-xs"
                aria-label={`Withdraw the key of ${key.name}`}
                onClick={() => withdraw.mutate(key.id)}
              >
                Withdraw
              </button>
            )}
          </li>
        ))}
      </ul>
      {make.data && (
        <div role="status" className="mt-3 border-l-4 border-l-success pl-3">
          <p className="font-semibold">The key of {make.data.name}, shown this once:</p>
          <div className="flex flex-wrap items-center gap-2">
            <code className="rounded bg-base-200 px-2 py-1 text-sm break-all">{make.data.secret}</code>
            <CopyText text={make.data.secret} label="Copy the key" />
          </div>
        </div>
      )}
      {mayEdit && (
        <form
          className="mt-3 flex gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            make.mutate(name, { onSuccess: () => setName("") });
          }}
        >
          <input
            className="input input-sm w-64"
            aria-label="System that needs a key"
            placeholder="Booking site"
            value={name}
            onChange={(event) => setName(event.target.value)}
          />
          <button className="btn btn-sm" disabled={!name.trim() || make.isPending}>
            Create key
          </button>
        </form>
      )}
      <FormError error={make.error ?? withdraw.error} />
    </Panel>
  );
}

function SegmentChoice() {
  const { data: session } = useSession();
  const segments = useSegments();
  const choose = useChooseSegments();
  return (
    <Panel title="Segments" note="properties at the first exposure that visitors are counted by, in all experiments">
      <PropertyLines
        lines={segments.data?.segments ?? []}
        save={(lines, done) => choose.mutate(lines, { onSuccess: done })}
        busy={choose.isPending}
        error={choose.error}
        mayEdit={session?.account?.may_edit ?? false}
      />
      <p className="quiet mt-1 text-sm">
        Two joined by & are crossed. What has come in already is counted again by the properties you choose, of
        experiments that are decided too.
      </p>
    </Panel>
  );
}

const ADDRESSES = [
  ["POST /api/v1/assign", "the variants of a unit; control with a note on bad input, never an error"],
  ["POST /api/v1/collect", "exposures and events in batches, JSON or one object a line, gzip too; each id counts once"],
  ["GET /api/v1/running.json", "all running experiments, to assign without asking"],
] as const;

function Addresses() {
  return (
    <Panel title="Addresses" note="each Traffic sheet has the snippet with its own names">
      <dl>
        {ADDRESSES.map(([address, what]) => (
          <div key={address} className="flex flex-wrap gap-x-4 border-b border-base-300 py-1.5 last:border-b-0">
            <dt className="w-56 font-mono text-sm">{address}</dt>
            <dd className="text-sm">{what}</dd>
          </div>
        ))}
      </dl>
    </Panel>
  );
}
