import { useParams } from "react-router";
import type { ForEngineer } from "../api/client";
import { useForEngineer } from "../api/outcome";
import { day, rate } from "../lib/format";
import { CopyText } from "../parts/CopyText";
import { Findings } from "../parts/Findings";
import { Letter } from "../parts/Letter";
import { Snippets } from "../parts/Snippets";
import { Panel, Skeleton } from "../parts/basics";
import { useTitle } from "../parts/title";

/** All that an engineer needs to bring an experiment onto the page, behind a link: no account, nothing to change. */
export function EngineerPage() {
  const { token = "" } = useParams();
  const known = useForEngineer(token);
  useTitle("For the engineer", known.data?.name ?? "");
  return (
    <main className="mx-auto grid max-w-[860px] grid-cols-[minmax(0,1fr)] gap-3 px-3 py-5">
      {known.isPending && <Skeleton rows={6} />}
      {known.isError && (
        <div role="alert" className="sheet px-6 py-8 text-center">
          <h1 className="mb-1 text-xl">This page does not open</h1>
          <p className="quiet">{known.error.message}</p>
        </div>
      )}
      {known.data && <Sheet known={known.data} />}
    </main>
  );
}

function Sheet({ known }: { known: ForEngineer }) {
  return (
    <>
      <header>
        <p className="quiet text-sm">
          For the engineer · {known.workspace} · opens until {day(known.expires_at)}
        </p>
        <h1 className="text-[27px]">{known.name}</h1>
        <p>
          {[
            known.change && `What changes: ${known.change}.`,
            known.page && `Where: ${known.page}.`,
            known.audience && `For whom: ${known.audience}.`,
            known.planned_start && `From ${day(known.planned_start)}.`,
            `Ask ${known.owner}.`,
          ]
            .filter(Boolean)
            .join(" ")}
        </p>
      </header>
      <Panel title="1. The script and the parameters" note={`one unit is one ${known.unit}`}>
        <Snippets snippets={known.snippets} />
        <ul className="mt-2">
          {known.variants.map((variant) => (
            <Given key={variant.letter} variant={variant} />
          ))}
        </ul>
        <p className="quiet mt-1 text-sm">
          The first is what everybody sees today. Give its values as the defaults, so that the page stays as it is
          without us.
        </p>
      </Panel>
      <Panel title="2. What is to be sent" note="from the page or from a server, with the same id">
        <Events events={known.events} />
      </Panel>
      <Panel title="3. Look at it" note="nothing is counted">
        {known.previews.length ? (
          <ul>
            {known.previews.map(({ letter, name, address }) => (
              <li key={letter} className="flex flex-wrap items-center gap-x-3 border-b border-base-300 py-1.5">
                <Letter letter={letter} />
                <a className="link grow" href={address} rel="noreferrer">
                  {name}
                </a>
                <CopyText text={address} label={`Copy the link of ${letter}`} />
              </li>
            ))}
          </ul>
        ) : (
          <p className="quiet">The page has no address yet; ask {known.owner}.</p>
        )}
        {known.findings.length > 0 && <Findings findings={known.findings} />}
      </Panel>
    </>
  );
}

function Given({ variant }: { variant: ForEngineer["variants"][number] }) {
  return (
    <li className="flex gap-3 border-b border-base-300 py-1.5">
      <Letter letter={variant.letter} />
      <div className="min-w-0 grow">
        <span className="font-semibold">
          <bdi>{variant.name}</bdi>
        </span>{" "}
        <span className="quiet text-sm">{rate(variant.share, 1)}</span>
        {variant.changes.length > 0 && <p className="text-sm">{variant.changes.join("; ")}</p>}
        {variant.parameters.map(({ name, kind, value }) => (
          <p key={name} className="font-mono text-sm break-all">
            {name} = {value} <span className="quiet">({kind.replace("_", " or ")})</span>
          </p>
        ))}
        {variant.parameters.length === 0 && <p className="quiet text-sm">no parameters yet</p>}
      </div>
    </li>
  );
}

function Events({ events }: { events: ForEngineer["events"] }) {
  if (!events.length) return <p className="quiet">No metric counts events yet.</p>;
  return (
    <ul>
      {events.map(({ metric, role, words, events: names, amount_of }) => (
        <li key={metric} className="border-b border-base-300 py-1.5">
          <span className="font-mono text-sm font-semibold">{names.join(", ")}</span>
          {amount_of.length > 0 && (
            <span className="text-sm">
              {" "}
              with the amount in <span className="font-mono">{amount_of.join(", ")}</span>
            </span>
          )}
          <p className="quiet text-sm">
            {metric} ({role}): {words}
          </p>
        </li>
      ))}
    </ul>
  );
}
