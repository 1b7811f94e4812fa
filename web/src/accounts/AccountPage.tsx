import { useState } from "react";
import { useMe, useOwnActions, type Me } from "../api/accounts";
import { useZone } from "../api/hooks";
import { moment, plural } from "../lib/format";
import { CopyText } from "../parts/CopyText";
import { errorOf, Failure, FormError, Panel, Skeleton } from "../parts/basics";
import { FormField } from "../parts/FormField";
import { Look } from "./Look";
import { SecondFactor } from "./SecondFactor";
import { Tokens } from "./Tokens";
import { useTitle } from "../parts/title";

/** One's own account: name, password, second factor, where one is signed in, tokens. */
export function AccountPage() {
  useTitle("Your account");
  const me = useMe();
  const zone = useZone();
  return (
    <main className="mx-auto grid max-w-[900px] grid-cols-1 gap-3 px-6 pt-5 pb-12 max-sm:px-3">
      <h1 className="text-[27px]">Your account</h1>
      {me.isPending && <Skeleton />}
      {me.isError && <Failure error={me.error} again={() => void me.refetch()} />}
      {me.data && (
        <>
          <Person me={me.data} />
          <Look />
          <Password me={me.data} />
          <SecondFactor me={me.data} />
          <Sessions me={me.data} zone={zone} />
          <OwnTokens me={me.data} zone={zone} />
          <CalendarAddress me={me.data} />
        </>
      )}
    </main>
  );
}

function Person({ me }: { me: Me }) {
  const { edit } = useOwnActions();
  const [first, setFirst] = useState(me.first_name);
  const [last, setLast] = useState(me.last_name);
  const [email, setEmail] = useState(me.email);
  const [password, setPassword] = useState("");
  const moved = email.trim() !== me.email;
  const fields = ["first_name", "last_name", "email", "password"];
  const known = fields.some((field) => errorOf(edit.error, field));
  return (
    <Panel
      title="Name and address"
      note={`you sign in as ${me.username}, ${me.role}${me.identities.length ? `; also by ${me.identities.map((one) => new URL(one.issuer).host).join(", ")}` : ""}`}
    >
      <form
        className="grid grid-cols-2 items-start gap-3 max-sm:grid-cols-1"
        onSubmit={(event) => {
          event.preventDefault();
          edit.mutate(
            { first_name: first, last_name: last, email: moved ? email : null, password },
            { onSuccess: () => setPassword("") },
          );
        }}
      >
        <FormField
          small
          label="First name"
          autoComplete="given-name"
          value={first}
          change={setFirst}
          error={errorOf(edit.error, "first_name")}
        />
        <FormField
          small
          label="Last name"
          autoComplete="family-name"
          value={last}
          change={setLast}
          error={errorOf(edit.error, "last_name")}
        />
        <FormField
          small
          label="Address of mail"
          type="email"
          autoComplete="email"
          value={email}
          change={setEmail}
          error={errorOf(edit.error, "email")}
        />
        {moved && me.has_password && (
          <FormField
            small
            label="Your password, for another address"
            type="password"
            autoComplete="current-password"
            value={password}
            change={setPassword}
            error={errorOf(edit.error, "password")}
          />
        )}
        <div className="col-span-full flex items-center gap-3">
          <button className="btn btn-sm" disabled={edit.isPending}>
            Save
          </button>
          <Saved shown={edit.isSuccess} />
          {!known && <FormError error={edit.error} />}
        </div>
      </form>
    </Panel>
  );
}

function Password({ me }: { me: Me }) {
  const { changePassword: change } = useOwnActions();
  const [current, setCurrent] = useState("");
  const [password, setPassword] = useState("");
  const known = ["current", "password"].some((field) => errorOf(change.error, field));
  return (
    <Panel title="Password" note="with another one you are signed out everywhere else">
      <form
        className="grid grid-cols-2 items-start gap-3 max-sm:grid-cols-1"
        onSubmit={(event) => {
          event.preventDefault();
          change.mutate({ current, password }, { onSuccess: () => [setCurrent(""), setPassword("")] });
        }}
      >
        {me.has_password && (
          <FormField
            small
            label="The one you have"
            type="password"
            autoComplete="current-password"
            value={current}
            change={setCurrent}
            error={errorOf(change.error, "current")}
          />
        )}
        <FormField
          small
          label="The new one"
          type="password"
          autoComplete="new-password"
          value={password}
          change={setPassword}
          error={errorOf(change.error, "password")}
        />
        <div className="col-span-full flex items-center gap-3">
          <button className="btn btn-sm" disabled={!password || change.isPending}>
            Change it
          </button>
          <Saved shown={change.isSuccess} />
          {!known && <FormError error={change.error} />}
        </div>
      </form>
    </Panel>
  );
}

function Saved({ shown }: { shown: boolean }) {
  return (
    <span role="status" className="quiet text-sm">
      {shown && "Saved"}
    </span>
  );
}

function Sessions({ me, zone }: { me: Me; zone: string }) {
  const { endSession, endOthers } = useOwnActions();
  const others = me.sessions.filter((one) => !one.this);
  return (
    <Panel
      title="Where you are signed in"
      action={
        others.length > 0 && (
          <button className="btn btn-xs" onClick={() => endOthers.mutate()}>
            Sign out everywhere else
          </button>
        )
      }
    >
      <ul>
        {me.sessions.map((one) => (
          <li
            key={one.id}
            className="flex flex-wrap items-center gap-x-3 border-b border-base-300 py-1.5 last:border-b-0"
          >
            <span className="min-w-0 grow">
              <span className={one.this ? "font-semibold" : ""}>{one.this ? "Here" : browserOf(one.browser)}</span>
              <span className="quiet block text-sm">
                {one.address && `from ${one.address}, `}
                since {moment(one.began, zone)}, last seen {moment(one.seen, zone)}
              </span>
            </span>
            {!one.this && (
              <button
                className="btn btn-xs"
                aria-label={`Sign out ${browserOf(one.browser)}, since ${moment(one.began, zone)}`}
                onClick={() => endSession.mutate(one.id)}
              >
                Sign out
              </button>
            )}
          </li>
        ))}
      </ul>
      {others.length === 0 && <p className="quiet mt-1 text-sm">Nowhere else.</p>}
      <FormError error={endSession.error ?? endOthers.error} />
    </Panel>
  );
}

const BROWSERS = [
  [/Edg\//, "Edge"],
  [/Firefox\//, "Firefox"],
  [/Chrome\//, "Chrome or alike"],
  [/Safari\//, "Safari"],
] as const;
const SYSTEMS = [
  [/Android/, "Android"],
  [/iPhone|iPad/, "iOS"],
  [/Windows/, "Windows"],
  [/Mac OS X/, "macOS"],
  [/Linux/, "Linux"],
] as const;

/** Which browser it is, by what it says of itself. */
export function browserOf(agent: string): string {
  const find = (known: readonly (readonly [RegExp, string])[]) => known.find(([sign]) => sign.test(agent))?.[1];
  const browser = find(BROWSERS);
  const system = find(SYSTEMS);
  return browser
    ? `${browser}${system ? ` on ${system}` : ""}`
    : agent.slice(0, 40) || "A browser that says nothing of itself";
}

/** An address at which a calendar programme reads starts, looks and ends. */
function CalendarAddress({ me }: { me: Me }) {
  const { makeCalendar, removeCalendar } = useOwnActions();
  const address = me.calendar && `${window.location.origin}${me.calendar}`;
  return (
    <Panel title="Calendar" note="starts, looks and ends of all experiments, for a calendar programme (iCalendar)">
      <div className="flex flex-wrap items-center gap-2">
        {address ? (
          <>
            <code className="rounded bg-base-200 px-2 py-1 text-sm break-all">{address}</code>
            <CopyText text={address} label="Copy the address" />
            <button className="btn btn-xs" onClick={() => makeCalendar.mutate()}>
              Another address
            </button>
            <button className="btn btn-xs" onClick={() => removeCalendar.mutate()}>
              Close it
            </button>
          </>
        ) : (
          <button className="btn btn-sm" onClick={() => makeCalendar.mutate()}>
            Make an address
          </button>
        )}
      </div>
      {address && <p className="quiet mt-1 text-sm">Whoever has it reads the names of experiments and their days.</p>}
      <FormError error={makeCalendar.error ?? removeCalendar.error} />
    </Panel>
  );
}

function OwnTokens({ me, zone }: { me: Me; zone: string }) {
  const { makeToken, withdrawToken } = useOwnActions();
  const open = me.tokens.filter((one) => !one.withdrawn_at).length;
  return (
    <Panel
      title="Tokens"
      note={`programmes do in your name what they are made for; Authorization: Bearer nvt_…${open ? `; ${plural(open, "token")} open` : ""}`}
    >
      <Tokens tokens={me.tokens} scopes={me.scopes} zone={zone} make={makeToken} withdraw={withdrawToken} />
      <p className="mt-3 text-sm">
        <a className="link" href="/api/v1/reference">
          API reference
        </a>
        : every operation, with what it takes, answers and refuses
      </p>
    </Panel>
  );
}
