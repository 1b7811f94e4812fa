import { useState } from "react";
import type { NewToken, Token } from "../api/accounts";
import { moment } from "../lib/format";
import { Asked } from "../parts/Asked";
import { CopyText } from "../parts/CopyText";
import { errorOf, FormError } from "../parts/basics";
import { FormField } from "../parts/FormField";
import { DayInput } from "../parts/DayInput";

export interface MakeToken {
  mutate: (body: { name: string; scopes: string[]; expires_at: string }, options?: { onSuccess?: () => void }) => void;
  data: NewToken | undefined;
  error: Error | null;
  isPending: boolean;
}

interface Props {
  tokens: Token[];
  scopes: Record<string, string>;
  zone: string;
  make: MakeToken;
  withdraw: {
    mutate: (id: number, done: { onSuccess: () => void }) => void;
    isPending: boolean;
    error: Error | null;
  };
}

/** The tokens of an account, and making another, whose secret is shown once. */
export function Tokens({ tokens, scopes, zone, make, withdraw }: Props) {
  const [name, setName] = useState("");
  const [chosen, setChosen] = useState<string[]>(["read"]);
  const [until, setUntil] = useState(inDays(90));
  const wrong = ["name", "scopes", "expires_at"].map((field) => errorOf(make.error, field)).find(Boolean);
  return (
    <>
      {tokens.length === 0 && <p className="quiet">No token yet.</p>}
      <ul>
        {tokens.map((token) => (
          <li key={token.id} className="flex flex-wrap items-center gap-x-3 gap-y-0.5 border-b border-base-300 py-1.5">
            <span className={token.withdrawn_at ? "quiet line-through" : "font-semibold"}>{token.name}</span>
            <span className="font-mono text-sm">{token.start}…</span>
            <span className="grow" />
            {!token.withdrawn_at && (
              <Asked
                what="Withdraw"
                name={`Withdraw… the token ${token.name}`}
                title={`Withdraw the token ${token.name}?`}
                run={{ ...withdraw, mutate: (done) => withdraw.mutate(token.id, done) }}
              >
                Whatever uses it is refused from now on. Another token can be made; this one does not come back.
              </Asked>
            )}
            <span className="quiet w-full text-sm">
              may {token.scopes.join(", ")}, made by {token.made_by} {moment(token.made_at, zone)},{" "}
              {token.used_at ? `last used ${moment(token.used_at, zone)}` : "never used"},{" "}
              {token.withdrawn_at
                ? `withdrawn ${moment(token.withdrawn_at, zone)}`
                : `valid until ${moment(token.expires_at, zone)}`}
            </span>
          </li>
        ))}
      </ul>
      {make.data && (
        <div role="status" className="mt-3 border-l-4 border-l-success pl-3">
          <p className="font-semibold">The token {make.data.name}, shown this once:</p>
          <div className="flex flex-wrap items-center gap-2">
            <code className="rounded bg-base-200 px-2 py-1 text-sm break-all">{make.data.secret}</code>
            <CopyText text={make.data.secret} label="Copy the token" />
          </div>
        </div>
      )}
      <form
        className="mt-3 flex flex-wrap items-end gap-x-4 gap-y-2"
        onSubmit={(event) => {
          event.preventDefault();
          make.mutate({ name, scopes: chosen, expires_at: `${until}T23:59:59` }, { onSuccess: () => setName("") });
        }}
      >
        <div className="w-56">
          <FormField small label="What uses it" value={name} change={setName} placeholder="Nightly export" />
        </div>
        <fieldset className="grid w-full gap-1">
          <legend className="sr-only">What it may do</legend>
          {Object.entries(scopes).map(([scope, words]) => (
            <label key={scope} className="flex items-center gap-1.5 text-sm">
              <input
                type="checkbox"
                className="checkbox checkbox-sm"
                checked={chosen.includes(scope)}
                onChange={(event) =>
                  setChosen(event.target.checked ? [...chosen, scope] : chosen.filter((one) => one !== scope))
                }
              />
              <span className="w-14 shrink-0 font-semibold">{scope}</span> {words}
            </label>
          ))}
        </fieldset>
        <label>
          <span className="quiet mb-1 block text-sm">Last day, {zone} time</span>
          <DayInput label="Last day" value={until} change={setUntil} />
        </label>
        <button className="btn btn-sm" disabled={!name.trim() || !chosen.length || !until || make.isPending}>
          Make a token
        </button>
      </form>
      {wrong ? (
        <p role="alert" className="mt-1 text-sm text-error">
          {wrong}
        </p>
      ) : (
        <FormError error={make.error ?? withdraw.error} />
      )}
    </>
  );
}

function inDays(days: number): string {
  return new Date(Date.now() + days * 86_400_000).toISOString().slice(0, 10);
}
