import { useState, type ReactNode } from "react";
import type { MachineKey } from "../api/client";
import { useSession, useZone } from "../api/hooks";
import { useKeyActions, useMachineKeys } from "../api/running";
import { count, moment } from "../lib/format";
import { Asked } from "../parts/Asked";
import { CopyText } from "../parts/CopyText";
import { Failure, FormError, Panel, Skeleton, errorOf } from "../parts/basics";
import { DayInput } from "../parts/DayInput";

/** Keys that the pages of sites carry, for everybody to read; with the code that brings one in. */
export function SiteKeys() {
  const { data: session } = useSession();
  const { makeForSite, withdraw } = useKeyActions();
  const [name, setName] = useState("");
  const [origins, setOrigins] = useState("");
  const [perMinute, setPerMinute] = useState("6000");
  const [perDay, setPerDay] = useState("");
  const [until, setUntil] = useState("");
  const wrong = ["origins", "per_minute", "events_per_day", "expires_at"]
    .map((field) => errorOf(makeForSite.error, field))
    .find(Boolean);
  return (
    <Panel
      title="Sites"
      note="a page carries its key openly; it asks for variants and sends events, from these origins only"
    >
      <KeyList kind="site" none="No site has a key yet." withdraw={withdraw} />
      {session?.account?.may_edit && (
        <form
          className="mt-3 flex flex-wrap items-end gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            makeForSite.mutate(
              {
                name,
                origins: origins.split(/[\s,]+/).filter(Boolean),
                per_minute: Number(perMinute),
                events_per_day: Number(perDay),
                expires_at: endOf(until),
              },
              { onSuccess: () => [setName(""), setOrigins(""), setUntil("")] },
            );
          }}
        >
          <Field label="Site" value={name} change={setName} placeholder="Booking pages" />
          <Field
            label="Origins of its pages"
            wide
            value={origins}
            change={setOrigins}
            placeholder="https://www.example.com, https://*.example.com"
          />
          <Bound label="Requests a minute" value={perMinute} change={setPerMinute} />
          <Bound label="Events a day (may be empty)" value={perDay} change={setPerDay} />
          <Until value={until} change={setUntil} />
          <button className="btn btn-sm" disabled={!name.trim() || !origins.trim() || makeForSite.isPending}>
            Create a site’s key
          </button>
        </form>
      )}
      {wrong ? (
        <p role="alert" className="mt-1 text-sm text-error">
          {wrong}
        </p>
      ) : (
        <FormError error={makeForSite.error ?? withdraw.error} />
      )}
    </Panel>
  );
}

const SCOPES = [
  ["assign", "ask which variant a unit gets"],
  ["collect", "send exposures and events"],
  ["read", "read the list of running experiments"],
  ["reduce", "bring in counts from where the data live"],
  ["observe", "read how the installation does"],
] as const;
const scopeWords = (scopes: readonly string[]) =>
  SCOPES.filter(([scope]) => scopes.includes(scope))
    .map(([, words]) => words)
    .join(", ");
/** What a server is usually asked for; counts are brought in by a key of their own. */
const USUAL = SCOPES.map(([scope]) => scope).filter((scope) => scope !== "reduce" && scope !== "observe");

/** Keys of servers: shown once, each for what it is needed for. */
export function ServerKeys() {
  const { data: session } = useSession();
  const { make, withdraw } = useKeyActions();
  const [name, setName] = useState("");
  const [scopes, setScopes] = useState<string[]>(USUAL);
  const [until, setUntil] = useState("");
  const [perMinute, setPerMinute] = useState("60000");
  const [perDay, setPerDay] = useState("");
  return (
    <Panel title="Servers" note="a server sends its key as Authorization: Bearer nv_…">
      <KeyList kind="server" none="No server has a key yet." withdraw={withdraw} />
      {make.data && (
        <div role="status" className="mt-3 border-l-4 border-l-success pl-3">
          <p className="font-semibold">The key of {make.data.name}, shown this once:</p>
          <div className="flex flex-wrap items-center gap-2">
            <code className="rounded bg-base-200 px-2 py-1 text-sm break-all">{make.data.secret}</code>
            <CopyText text={make.data.secret} label="Copy the key" />
          </div>
        </div>
      )}
      {session?.account?.may_edit && (
        <form
          className="mt-3 flex flex-wrap items-end gap-x-4 gap-y-2"
          onSubmit={(event) => {
            event.preventDefault();
            const sent = {
              name,
              scopes,
              per_minute: Number(perMinute),
              events_per_day: Number(perDay),
              expires_at: endOf(until),
            };
            make.mutate(sent, { onSuccess: () => [setName(""), setUntil("")] });
          }}
        >
          <input
            className="input input-sm w-64"
            aria-label="System that needs a key"
            placeholder="Booking server"
            value={name}
            onChange={(event) => setName(event.target.value)}
          />
          <fieldset className="flex flex-wrap gap-x-4 gap-y-1">
            <legend className="sr-only">What it may do</legend>
            {SCOPES.map(([scope, words]) => (
              <label key={scope} className="flex items-center gap-1.5 text-sm">
                <input
                  type="checkbox"
                  className="checkbox checkbox-sm"
                  checked={scopes.includes(scope)}
                  onChange={(event) =>
                    setScopes(event.target.checked ? [...scopes, scope] : scopes.filter((one) => one !== scope))
                  }
                />
                {words}
              </label>
            ))}
          </fieldset>
          <Bound label="Requests a minute" value={perMinute} change={setPerMinute} />
          <Bound label="Events a day (may be empty)" value={perDay} change={setPerDay} />
          <Until value={until} change={setUntil} />
          <button className="btn btn-sm" disabled={!name.trim() || !scopes.length || make.isPending}>
            Create key
          </button>
        </form>
      )}
      <FormError error={make.error ?? withdraw.error} />
    </Panel>
  );
}

/** The last moment of a day, in the workspace's zone. */
const endOf = (day: string): string | null => (day ? `${day}T23:59:59` : null);

function Bound({ label, value, change }: { label: string; value: string; change: (text: string) => void }) {
  return (
    <label className="max-w-full">
      <span className="quiet block text-sm">{label}</span>
      <input
        type="number"
        min={0}
        className="input input-sm w-32"
        value={value}
        onChange={(event) => change(event.target.value)}
      />
    </label>
  );
}

function Until({ value, change }: { value: string; change: (day: string) => void }) {
  const zone = useZone();
  return (
    <label>
      <span className="quiet block text-sm">Last day, {zone} time (may be empty)</span>
      <DayInput label="Last day" value={value} change={change} />
    </label>
  );
}

interface ListProps {
  kind: MachineKey["kind"];
  none: string;
  withdraw: ReturnType<typeof useKeyActions>["withdraw"];
}

function KeyList({ kind, none, withdraw }: ListProps) {
  const { data: session } = useSession();
  const zone = useZone();
  const query = useMachineKeys();
  const mayEdit = session?.account?.may_edit ?? false;
  if (query.isPending) return <Skeleton rows={2} />;
  if (query.isError) return <Failure error={query.error} />;
  const shown = query.data.filter((key) => key.kind === kind);
  if (!shown.length) return <p className="quiet">{none}</p>;
  return (
    <ul>
      {shown.map((key) => (
        <li key={key.id} className="flex flex-wrap items-center gap-x-3 gap-y-0.5 border-b border-base-300 py-1.5">
          <span className={key.withdrawn_at ? "quiet line-through" : "font-semibold"}>{key.name}</span>
          <span className="font-mono text-sm">{key.public || `${key.start}…`}</span>
          {key.public && !key.withdrawn_at && <CopyText text={key.public} label="Copy the key" />}
          <span className="grow" />
          {mayEdit && !key.withdrawn_at && (
            <Asked
              what="Withdraw"
              name={`Withdraw… the key of ${key.name}`}
              title={`Withdraw the key of ${key.name}?`}
              run={{ ...withdraw, mutate: (done) => withdraw.mutate(key.id, done) }}
            >
              Whatever uses it is cut off at once and for good: no assignments, no events. Make another key first, and
              put it in, if it is to go on.
            </Asked>
          )}
          <span className="quiet w-full text-sm">
            <History made={key} zone={zone} />
          </span>
        </li>
      ))}
    </ul>
  );
}

function History({ made, zone }: { made: MachineKey; zone: string }): ReactNode {
  const parts = [
    made.origins.length ? `from ${made.origins.join(" and ")}` : `may ${scopeWords(made.scopes)}`,
    `made by ${made.made_by} ${moment(made.made_at, zone)}`,
    made.used_at ? `last used ${moment(made.used_at, zone)}` : "never used",
    made.per_minute ? `${count(made.per_minute)} requests a minute at most` : "",
    made.events_per_day ? `${count(made.events_per_day)} events a day at most` : "",
    made.refused ? `${count(made.refused)} requests refused, which came too fast` : "",
    made.withdrawn_at ? `withdrawn ${moment(made.withdrawn_at, zone)}` : "",
    !made.withdrawn_at && made.expires_at ? `valid until ${moment(made.expires_at, zone)}` : "",
  ];
  return parts.filter(Boolean).join(", ");
}

interface FieldProps {
  label: string;
  value: string;
  change: (text: string) => void;
  placeholder: string;
  wide?: boolean;
}

function Field({ label, value, change, placeholder, wide = false }: FieldProps) {
  return (
    <label className="max-w-full">
      <span className="quiet block text-sm">{label}</span>
      <input
        className={`input input-sm ${wide ? "w-80 max-w-full" : "w-48"}`}
        placeholder={placeholder}
        value={value}
        onChange={(event) => change(event.target.value)}
      />
    </label>
  );
}
