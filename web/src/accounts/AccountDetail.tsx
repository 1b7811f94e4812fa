import { useState } from "react";
import { Link } from "react-router";
import { useAccount, useAccountActions, useMe, type AccountLine, type FullAccount } from "../api/accounts";
import { plural } from "../lib/format";
import { Dialog } from "../parts/Dialog";
import { Failure, FormError, Skeleton } from "../parts/basics";
import { Invited } from "./AccountsPage";
import { RoleSelect } from "./RoleSelect";
import { Tokens } from "./Tokens";

interface Props {
  username: string;
  me: string;
  zone: string;
  heirs: AccountLine[];
}

/** An account, with what was made in its name and what an admin does with it. */
export function AccountDetail({ username, me, zone, heirs }: Props) {
  const account = useAccount(username);
  if (account.isPending) return <Skeleton rows={2} />;
  if (account.isError) return <Failure error={account.error} />;
  return <Detail account={account.data} me={me} zone={zone} heirs={heirs} />;
}

function Detail({ account, me, zone, heirs }: Omit<Props, "username"> & { account: FullAccount }) {
  const actions = useAccountActions(account.username);
  const mine = useMe();
  const [ending, setEnding] = useState(false);
  const self = account.username === me;
  const active = account.state !== "deactivated";
  const { edit, sendLink, reactivate, resetFactor, endSessions } = actions;
  const error = [edit, sendLink, reactivate, resetFactor, endSessions].map((one) => one.error).find(Boolean) ?? null;
  return (
    <section aria-label={`Account of ${account.display_name}`} className="mt-3 border-l-4 border-l-primary pl-4">
      <div className="flex flex-wrap items-end gap-3">
        <div className="w-56">
          <RoleSelect
            label={`Role of ${account.display_name}`}
            role={account.role}
            disabled={self || !active}
            change={(role) => edit.mutate({ role })}
          />
        </div>
        {active && !account.service && (
          <button className="btn btn-sm" onClick={() => sendLink.mutate()}>
            {account.state === "invited" ? "Send the invitation again" : "Send a link for another password"}
          </button>
        )}
        {account.second_factor && (
          <button className="btn btn-sm" onClick={() => resetFactor.mutate()}>
            Remove the second factor
          </button>
        )}
        {account.sessions > 0 && !self && (
          <button className="btn btn-sm" onClick={() => endSessions.mutate()}>
            Sign out everywhere ({account.sessions})
          </button>
        )}
        {active && !self && (
          <button className="btn btn-sm" onClick={() => setEnding(true)}>
            Deactivate…
          </button>
        )}
        {!active && (
          <button className="btn btn-sm" onClick={() => reactivate.mutate()}>
            Open it again
          </button>
        )}
      </div>
      {self && <p className="quiet mt-1 text-sm">This is you: another admin changes your role.</p>}
      <FormError error={error} />
      {sendLink.data && <Invited {...sendLink.data} />}
      <Held account={account} />
      {account.service && active && (
        <Tokens
          tokens={account.tokens}
          scopes={mine.data?.scopes ?? {}}
          zone={zone}
          make={actions.makeToken}
          withdraw={actions.withdrawToken}
        />
      )}
      {ending && (
        <Deactivate
          account={account}
          heirs={heirs.filter((one) => one.username !== account.username)}
          deactivate={actions.deactivate}
          close={() => setEnding(false)}
        />
      )}
    </section>
  );
}

/** What opens something, or goes on, in the account's name. */
function Held({ account }: { account: FullAccount }) {
  const tokens = account.tokens.filter((one) => !one.withdrawn_at);
  const lines: [string, string[]][] = [
    ["Keys", account.keys.map((one) => `${one.name} (${one.where})`)],
    ["Links", account.links.map((one) => `${one.where}, for ${one.name}`)],
    ["Tokens", account.service ? [] : tokens.map((one) => `${one.name} (${one.start}…)`)],
    ["Lakes counted", account.schedules],
  ];
  const shown = lines.filter(([, names]) => names.length > 0);
  return (
    <dl className="mt-2 text-sm">
      {shown.map(([what, names]) => (
        <div key={what} className="flex gap-3 py-0.5">
          <dt className="quiet w-32 shrink-0">{what}</dt>
          <dd>{names.join("; ")}</dd>
        </div>
      ))}
      {account.experiments.length > 0 && (
        <div className="flex gap-3 py-0.5">
          <dt className="quiet w-32 shrink-0">Open experiments</dt>
          <dd>
            {account.experiments.map((one, index) => (
              <span key={one.where}>
                {index > 0 && "; "}
                <Link className="link" to={`/experiments/${one.where}`}>
                  {one.name}
                </Link>
              </span>
            ))}
          </dd>
        </div>
      )}
      {shown.length === 0 && account.experiments.length === 0 && !account.service && (
        <div className="quiet py-0.5">Nothing stands in this name.</div>
      )}
    </dl>
  );
}

interface DeactivateProps {
  account: FullAccount;
  heirs: AccountLine[];
  deactivate: ReturnType<typeof useAccountActions>["deactivate"];
  close: () => void;
}

function Deactivate({ account, heirs, deactivate, close }: DeactivateProps) {
  const [heir, setHeir] = useState("");
  const held = [
    plural(account.keys.length, "key"),
    plural(account.links.length, "link"),
    plural(account.experiments.length, "open experiment"),
    ...(account.schedules.length ? [plural(account.schedules.length, "lake")] : []),
  ].join(", ");
  return (
    <Dialog title={`Deactivate ${account.display_name}?`} close={close}>
      <p>
        Nobody signs in by it any more, and its tokens end. It can be opened again; what ended stays ended. What goes on
        by itself goes on in your name, or in that of whoever it is handed over to.
      </p>
      <label className="mt-3 block">
        <span className="quiet mb-1 block text-sm">In its name there are {held}</span>
        <select className="select w-full" value={heir} onChange={(event) => setHeir(event.target.value)}>
          <option value="">End keys and links; experiments stay in the name</option>
          {heirs.map((one) => (
            <option key={one.username} value={one.username}>
              Hand all of it over to {one.display_name}
            </option>
          ))}
        </select>
      </label>
      <FormError error={deactivate.error} />
      <div className="mt-4 flex justify-end gap-2">
        <button className="btn btn-sm" onClick={close}>
          Leave it
        </button>
        <button
          className="btn btn-sm btn-primary"
          disabled={deactivate.isPending}
          onClick={() => deactivate.mutate(heir || null, { onSuccess: close })}
        >
          Deactivate
        </button>
      </div>
    </Dialog>
  );
}
