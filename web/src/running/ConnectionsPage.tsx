import { PropertyLines } from "../library/PropertyLines";
import { useSession } from "../api/hooks";
import { useChooseSegments, useSegments } from "../api/running";
import { Panel } from "../parts/basics";
import { Forget } from "./Forget";
import { Lakes } from "./Lakes";
import { Retention } from "./Retention";
import { ServerKeys, SiteKeys } from "./Keys";
import { Webhooks } from "./Webhooks";
import { useTitle } from "../parts/title";

/** How other systems reach us: keys, addresses, and the properties that visitors are counted by. */
export function ConnectionsPage() {
  useTitle("Connections");
  return (
    <main className="mx-auto grid max-w-[900px] grid-cols-1 gap-3 px-6 pt-5 pb-12 max-sm:px-3">
      <h1 className="text-[27px]">Connections</h1>
      <SiteKeys />
      <ServerKeys />
      <Lakes />
      <Webhooks />
      <SegmentChoice />
      <Addresses />
      <Retention />
      <Forget />
    </main>
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
  ["GET /site/v1/neat.js", "the script for pages; it asks and sends at /site/v1 with a site’s key"],
  ["POST /api/v1/assign", "the variants of a unit; control with a note on bad input, never an error"],
  ["POST /api/v1/collect", "exposures and events in batches, JSON or one object a line, gzip too; each id counts once"],
  ["GET /api/v1/running.json", "all running experiments, to assign without asking; 304 to its ETag until one changes"],
  ["GET /api/v1/reductions", "what “neat-verdict reduce” asks, where events are kept in a lake, and sends the days to"],
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
