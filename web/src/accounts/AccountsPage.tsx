import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import {
  useAccountLog,
  useAccounts,
  useInstallation,
  useMakeAccount,
  useWorkspace,
  type AccountLine,
  type Role,
  type Workspace,
} from "../api/accounts";
import { useSession } from "../api/hooks";
import { count, moment, plural } from "../lib/format";
import { CopyText } from "../parts/CopyText";
import { Empty, errorOf, Failure, FormError, Panel, Skeleton } from "../parts/basics";
import { AccountDetail } from "./AccountDetail";
import { FormField } from "../parts/FormField";
import { RoleSelect } from "./RoleSelect";
import { useTitle } from "../parts/title";

/** What admins keep: accounts, the workspace, and who changed what of them. */
export function AccountsPage() {
  useTitle("Accounts");
  const { data: session } = useSession();
  const may = session?.account?.may_administer;
  return (
    <main className="mx-auto grid max-w-[900px] grid-cols-1 gap-3 px-6 pt-5 pb-12 max-sm:px-3">
      <h1 className="text-[27px]">Accounts</h1>
      {may === false && <Empty title="Admins keep the accounts">Ask one of them for what you need.</Empty>}
      {may && session && (
        <>
          <People me={session.account?.username ?? ""} zone={session.time_zone} />
          <Invite />
          <WorkspacePanel />
          <Installation zone={session.time_zone} />
          <Log zone={session.time_zone} />
        </>
      )}
    </main>
  );
}

function People({ me, zone }: { me: string; zone: string }) {
  const accounts = useAccounts();
  const [params, setParams] = useSearchParams();
  const open = params.get("account") ?? "";
  if (accounts.isPending) return <Skeleton />;
  if (accounts.isError) return <Failure error={accounts.error} again={() => void accounts.refetch()} />;
  const rows = accounts.data.items;
  return (
    <Panel title="People and systems" note={`${accounts.data.count} accounts`}>
      <div className="overflow-x-auto">
        <table className="table-sm table max-sm:[&_td]:px-1 max-sm:[&_th]:px-1">
          <thead>
            <tr>
              <th scope="col">Name</th>
              <th scope="col">Role</th>
              <th scope="col">State</th>
              <th scope="col" className="max-sm:hidden">
                Second factor
              </th>
              <th scope="col" className="max-sm:hidden">
                Last signed in
              </th>
            </tr>
          </thead>
          <tbody>
            {rows.map((one) => (
              <tr key={one.username} className={one.state === "deactivated" ? "quiet" : ""}>
                <th scope="row" className="font-normal">
                  <button
                    className="link text-left font-semibold"
                    aria-expanded={open === one.username}
                    onClick={() => setParams(open === one.username ? {} : { account: one.username }, { replace: true })}
                  >
                    {one.display_name}
                  </button>
                  <span className="quiet block text-sm wrap-anywhere">
                    {[one.username !== one.display_name && one.username, one.email].filter(Boolean).join(" · ")}
                  </span>
                </th>
                <td>
                  {one.role}
                  {one.every_right && <span className="quiet block text-xs">every right</span>}
                </td>
                <td>{stateOf(one)}</td>
                <td className="max-sm:hidden">{one.service ? "" : one.second_factor ? "on" : "off"}</td>
                <td className="max-sm:hidden">
                  {one.service ? "" : one.last_login ? moment(one.last_login, zone) : "never"}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {open && (
        <AccountDetail
          key={open}
          username={open}
          me={me}
          zone={zone}
          heirs={rows.filter((one) => one.state === "active" && one.role !== "stakeholder" && !one.service)}
        />
      )}
    </Panel>
  );
}

function stateOf(one: AccountLine): string {
  if (one.state === "invited") return "invited, no password yet";
  return one.service && one.state === "active" ? "system, by tokens" : one.state;
}

function Invite() {
  const make = useMakeAccount();
  const [service, setService] = useState(false);
  const [username, setUsername] = useState("");
  const [first, setFirst] = useState("");
  const [last, setLast] = useState("");
  const [email, setEmail] = useState("");
  const [role, setRole] = useState<Role>("stakeholder");
  const known = ["username", "email", "first_name", "last_name"].some((field) => errorOf(make.error, field));
  const sent = {
    username,
    role,
    service,
    email: service ? "" : email,
    first_name: service ? "" : first,
    last_name: service ? "" : last,
  };
  return (
    <Panel title="Somebody new" note="a person gets a link by mail, and chooses a password; a system gets tokens">
      <form
        className="grid grid-cols-3 items-start gap-3 max-sm:grid-cols-1"
        onSubmit={(event) => {
          event.preventDefault();
          make.mutate(sent, { onSuccess: () => [setUsername(""), setFirst(""), setLast(""), setEmail("")] });
        }}
      >
        <fieldset className="col-span-full flex gap-4">
          <legend className="sr-only">Who it is for</legend>
          {[false, true].map((one) => (
            <label key={String(one)} className="flex items-center gap-1.5">
              <input
                type="radio"
                name="service"
                className="radio radio-sm"
                checked={service === one}
                onChange={() => setService(one)}
              />
              {one ? "A system" : "A person"}
            </label>
          ))}
        </fieldset>
        {!service && (
          <>
            <FormField
              small
              label="First name"
              value={first}
              change={setFirst}
              error={errorOf(make.error, "first_name")}
            />
            <FormField small label="Last name" value={last} change={setLast} error={errorOf(make.error, "last_name")} />
            <FormField
              small
              label="Address of mail"
              type="email"
              value={email}
              change={setEmail}
              error={errorOf(make.error, "email")}
            />
          </>
        )}
        <FormField
          small
          label={service ? "Name of the system" : "Name to sign in with"}
          value={username}
          change={setUsername}
          error={errorOf(make.error, "username")}
          placeholder={service ? "nightly-export" : "ines"}
        />
        <RoleSelect role={role} change={setRole} label="Role" />
        <div className="sm:pt-6">
          <button className="btn btn-sm" disabled={!username.trim() || (!service && !email.trim()) || make.isPending}>
            {service ? "Make the account" : "Invite"}
          </button>
        </div>
        {!known && (
          <div className="col-span-full">
            <FormError error={make.error} />
          </div>
        )}
      </form>
      {make.data && <Invited {...make.data} />}
    </Panel>
  );
}

/** What became of an invitation: where a password is chosen, to pass on where no mail went out. */
export function Invited({ account, address, mailed }: { account: AccountLine; address: string; mailed: boolean }) {
  return (
    <div role="status" className="mt-3 border-l-4 border-l-success pl-3">
      {address === "" ? (
        <p>
          <Link className="link" to={`?account=${encodeURIComponent(account.username)}`}>
            {account.username}
          </Link>{" "}
          has an account; make a token for it above.
        </p>
      ) : (
        <>
          <p className="font-semibold">
            {mailed
              ? `A link went to ${account.email}; it works once, for three days.`
              : `No mail went out. Pass this link on to ${account.display_name}; it works once, for three days:`}
          </p>
          {!mailed && (
            <div className="flex flex-wrap items-center gap-2">
              <code className="rounded bg-base-200 px-2 py-1 text-sm break-all">{address}</code>
              <CopyText text={address} label="Copy the link" />
            </div>
          )}
        </>
      )}
    </div>
  );
}

function WorkspacePanel() {
  const { query } = useWorkspace();
  return (
    <Panel title="Workspace" note="of all experiments">
      {query.isError && <Failure error={query.error} />}
      {query.data ? <WorkspaceForm place={query.data} /> : <Skeleton rows={1} />}
    </Panel>
  );
}

function WorkspaceForm({ place }: { place: Workspace }) {
  const { edit } = useWorkspace();
  const [name, setName] = useState(place.name);
  const [zone, setZone] = useState(place.time_zone);
  const [currency, setCurrency] = useState(place.currency);
  const [weeks, setWeeks] = useState(String(place.longest_run_weeks));
  const fields = ["name", "time_zone", "currency", "longest_run_weeks"];
  const known = fields.some((field) => errorOf(edit.error, field));
  return (
    <form
      className="grid grid-cols-4 items-start gap-3 max-sm:grid-cols-1"
      onSubmit={(event) => {
        event.preventDefault();
        edit.mutate({ name, time_zone: zone, currency, longest_run_weeks: Number(weeks) });
      }}
    >
      <FormField small label="Name" value={name} change={setName} error={errorOf(edit.error, "name")} />
      <FormField
        small
        label={place.zone_stands ? "Time zone (days of data follow it)" : "Time zone"}
        value={zone}
        change={setZone}
        disabled={place.zone_stands}
        error={errorOf(edit.error, "time_zone")}
      />
      <FormField small label="Currency" value={currency} change={setCurrency} error={errorOf(edit.error, "currency")} />
      <FormField
        small
        label="Longest run, weeks"
        value={weeks}
        change={setWeeks}
        error={errorOf(edit.error, "longest_run_weeks")}
      />
      <div className="col-span-full flex items-center gap-3">
        <button className="btn btn-sm" disabled={edit.isPending}>
          Save
        </button>
        <span role="status" className="quiet text-sm">
          {edit.isSuccess && "Saved"}
        </span>
        {!known && <FormError error={edit.error} />}
      </div>
    </form>
  );
}

const CHECKED: Record<string, string> = {
  database: "Database",
  integrity: "Damage",
  migrations: "Migrations",
  scheduler: "Scheduler",
  disk: "Disk",
};

/** What `/ready` says, and what the scheduler did last. */
function Installation({ zone }: { zone: string }) {
  const found = useInstallation();
  if (found.isPending) return <Skeleton rows={2} />;
  if (found.isError) return <Failure error={found.error} />;
  const { checks, scheduler_at, scheduler_did } = found.data;
  const wrong = checks.filter((one) => !one.ok).length;
  const did = Object.entries(scheduler_did).map(([what, times]) => `${what}: ${count(times)}`);
  return (
    <Panel title="Installation" note={wrong === 0 ? "all is well" : `${plural(wrong, "thing")} to look after`}>
      <dl className="text-sm">
        {checks.map((one) => (
          <div key={one.name} className="flex gap-3 border-b border-base-300 py-1 last:border-b-0">
            <dt className="w-28 shrink-0">{CHECKED[one.name] ?? one.name}</dt>
            <dd className="w-20 shrink-0 font-semibold">
              {one.ok ? "well" : <span className="text-error">not well</span>}
            </dd>
            <dd className="quiet">
              {one.name === "scheduler" && scheduler_at
                ? `ran last ${moment(scheduler_at, zone)}: ${did.join(", ") || "nothing was due"}`
                : one.detail}
            </dd>
          </div>
        ))}
      </dl>
    </Panel>
  );
}

function Log({ zone }: { zone: string }) {
  const log = useAccountLog();
  if (log.isPending) return <Skeleton rows={2} />;
  if (log.isError) return <Failure error={log.error} />;
  const { items, count: all } = log.data;
  return (
    <Panel
      title="What was changed"
      note={`of accounts, keys and tokens; never edited${all > items.length ? `; the last ${items.length} of ${count(all)}` : ""}`}
    >
      {items.length === 0 && <p className="quiet">Nothing yet.</p>}
      <ol>
        {items.map((one, index) => (
          <li key={index} className="flex flex-wrap gap-x-3 border-b border-base-300 py-1 text-sm last:border-b-0">
            <span className="quiet w-36 whitespace-nowrap">{moment(one.at, zone)}</span>
            <span className="w-32 truncate">{one.by || "nobody signed in"}</span>
            <span className="min-w-0 grow basis-64">{one.sentence}</span>
          </li>
        ))}
      </ol>
    </Panel>
  );
}
