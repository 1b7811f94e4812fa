import { useState } from "react";
import { useSession } from "../api/hooks";
import { useDeliveries, useWebhookActions, useWebhooks, type Delivery, type Webhook } from "../api/webhooks";
import { count, moment, plural } from "../lib/format";
import { CopyText } from "../parts/CopyText";
import { Asked } from "../parts/Asked";
import { errorOf, Failure, FormError, Panel, Skeleton } from "../parts/basics";

/** Systems that are sent what happens, signed; for admins. */
export function Webhooks() {
  const { data: session } = useSession();
  const may = session?.account?.may_administer ?? false;
  const found = useWebhooks(may);
  if (!may || !session) return null;
  return (
    <Panel title="Webhooks" note="other systems are sent what happens, signed by the Standard Webhooks convention">
      {found.isPending && <Skeleton rows={1} />}
      {found.isError && <Failure error={found.error} again={() => void found.refetch()} />}
      {found.data && (
        <>
          {found.data.webhooks.length === 0 && <p className="quiet">Nothing is sent anywhere.</p>}
          <ul>
            {found.data.webhooks.map((hook) => (
              <Hook key={hook.id} hook={hook} zone={session.time_zone} />
            ))}
          </ul>
          <Make kinds={found.data.kinds} />
        </>
      )}
    </Panel>
  );
}

function Hook({ hook, zone }: { hook: Webhook; zone: string }) {
  const { edit, remove, tryOut } = useWebhookActions();
  const [log, setLog] = useState(false);
  const [secret, setSecret] = useState(false);
  const error = [edit, remove, tryOut].map((one) => one.error).find(Boolean) ?? null;
  const facts = [
    hook.kinds.join(", "),
    `made by ${hook.made_by} ${moment(hook.made_at, zone)}`,
    hook.last_sent ? `last sent ${moment(hook.last_sent, zone)}` : "nothing sent yet",
    hook.waiting ? `${plural(hook.waiting, "message")} waiting` : "",
    hook.failed ? `${plural(hook.failed, "message")} not taken` : "",
  ].filter(Boolean);
  return (
    <li className="border-b border-base-300 py-1.5">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <span className="font-semibold">{hook.name}</span>
        <span className="min-w-0 font-mono text-sm wrap-anywhere">{hook.url}</span>
        {hook.pause && <span className="tone-unsound text-sm">paused: {hook.pause}</span>}
        <span className="grow" />
        <button className="btn btn-xs" aria-expanded={log} onClick={() => setLog(!log)}>
          Log
        </button>
        <button className="btn btn-xs" aria-expanded={secret} onClick={() => setSecret(!secret)}>
          Secret
        </button>
        <button className="btn btn-xs" onClick={() => tryOut.mutate(hook.id, { onSuccess: () => setLog(true) })}>
          Try it
        </button>
        <button
          className="btn btn-xs"
          aria-label={`${hook.pause ? "Go on with" : "Pause"} ${hook.name}`}
          onClick={() => edit.mutate({ number: hook.id, paused: !hook.pause })}
        >
          {hook.pause ? "Go on" : "Pause"}
        </button>
        <Asked
          what="Remove"
          name={`Remove… ${hook.name}`}
          title={`Remove ${hook.name}?`}
          run={{ ...remove, mutate: (done) => remove.mutate(hook.id, done) }}
        >
          Nothing is sent there any more, and what was sent is no longer listed. To stop for a while, pause it.
        </Asked>
      </div>
      <p className="quiet text-sm">{facts.join("; ")}</p>
      {secret && (
        <div className="mt-1 flex flex-wrap items-center gap-2">
          <code className="rounded bg-base-200 px-2 py-1 text-sm break-all">{hook.secret}</code>
          <CopyText text={hook.secret} label="Copy the secret" />
        </div>
      )}
      {log && <Log hook={hook} zone={zone} />}
      <FormError error={error} />
    </li>
  );
}

function Log({ hook, zone }: { hook: Webhook; zone: string }) {
  const found = useDeliveries(hook.id);
  const { again } = useWebhookActions();
  if (found.isPending) return <Skeleton rows={1} />;
  if (found.isError) return <Failure error={found.error} />;
  const { items, count: all } = found.data;
  return (
    <section aria-label={`What ${hook.name} was sent`} className="mt-1 border-l-4 border-l-base-300 pl-3 text-sm">
      {items.length === 0 && <p className="quiet">Nothing yet. What happens is sent within a minute.</p>}
      <ol>
        {items.map((one) => (
          <li key={one.id} className="flex flex-wrap items-center gap-x-3 py-0.5">
            <span className="quiet whitespace-nowrap">{moment(one.at, zone)}</span>
            <span className="font-semibold">{one.kind}</span>
            <span className="min-w-0 grow basis-48 truncate">
              {[one.name, one.sentence].filter(Boolean).join(": ")}
            </span>
            <span>{becameOf(one, zone)}</span>
            {(one.state !== "waiting" || one.tries > 0) && (
              <button
                className="btn btn-xs"
                aria-label={`Send again: ${one.kind} of ${moment(one.at, zone)}`}
                onClick={() => again.mutate({ number: hook.id, delivery: one.id })}
              >
                Send again
              </button>
            )}
          </li>
        ))}
      </ol>
      {all > items.length && (
        <p className="quiet">
          The last {items.length} of {count(all)}.
        </p>
      )}
      <FormError error={again.error} />
    </section>
  );
}

/** What became of a message, in words. */
export function becameOf(one: Delivery, zone: string): string {
  const answered = one.status === null ? one.problem || "no answer" : `answered ${one.status}`;
  if (one.state === "delivered") return `taken, ${answered}`;
  if (one.state === "failed")
    return `not taken, ${answered}, after ${count(one.tries)} ${one.tries === 1 ? "try" : "tries"}`;
  if (one.tries === 0) return "about to be sent";
  return `${answered}; tried again ${one.due_at ? moment(one.due_at, zone) : "soon"}`;
}

function Make({ kinds }: { kinds: Record<string, string> }) {
  const { make } = useWebhookActions();
  const [name, setName] = useState("");
  const [url, setUrl] = useState("");
  const [chosen, setChosen] = useState(Object.keys(kinds));
  const wrong = ["name", "url", "kinds"].map((field) => errorOf(make.error, field)).find(Boolean);
  return (
    <form
      className="mt-3 flex flex-wrap items-end gap-x-4 gap-y-2"
      onSubmit={(event) => {
        event.preventDefault();
        make.mutate({ name, url, kinds: chosen }, { onSuccess: () => [setName(""), setUrl("")] });
      }}
    >
      <label>
        <span className="quiet block text-sm">System</span>
        <input
          className="input input-sm w-48"
          placeholder="Team chat"
          value={name}
          onChange={(event) => setName(event.target.value)}
        />
      </label>
      <label className="max-w-full">
        <span className="quiet block text-sm">Its address</span>
        <input
          className="input input-sm w-80 max-w-full"
          placeholder="https://www.example.com/hook"
          value={url}
          onChange={(event) => setUrl(event.target.value)}
        />
      </label>
      <fieldset className="flex w-full flex-wrap gap-x-4 gap-y-1">
        <legend className="sr-only">What it is sent</legend>
        {Object.entries(kinds).map(([kind, words]) => (
          <label key={kind} className="flex items-center gap-1.5 text-sm">
            <input
              type="checkbox"
              className="checkbox checkbox-sm"
              checked={chosen.includes(kind)}
              onChange={(event) =>
                setChosen(event.target.checked ? [...chosen, kind] : chosen.filter((one) => one !== kind))
              }
            />
            {words}
          </label>
        ))}
      </fieldset>
      <button className="btn btn-sm" disabled={!name.trim() || !url.trim() || !chosen.length || make.isPending}>
        Make a webhook
      </button>
      {wrong ? (
        <p role="alert" className="w-full text-sm text-error">
          {wrong}
        </p>
      ) : (
        <FormError error={make.error} />
      )}
    </form>
  );
}
