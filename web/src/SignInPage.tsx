import { useState } from "react";
import { useAskForLink } from "./api/accounts";
import { useSession, useSignIn } from "./api/hooks";
import { FormError } from "./parts/basics";
import { FormField } from "./parts/FormField";
import { SignInForm } from "./parts/SignInForm";
import { useTitle } from "./parts/title";

/** Where somebody was going, as long as that is here: a browser leaves characters out that a look at the text would not. */
export function hereOrHome(next: string): string {
  try {
    const { origin, pathname, search, hash } = new URL(next, window.location.origin);
    // A path of two slashes would be another host.
    return origin === window.location.origin && !pathname.startsWith("//") ? `${pathname}${search}${hash}` : "/";
  } catch {
    return "/";
  }
}

function enter(next: string): void {
  window.location.assign(hereOrHome(next || "/"));
}

/** Why whoever came by the identity provider was sent away. */
const REFUSED: Record<string, string> = {
  away: "It does not answer just now. Try again in a moment, or sign in with a password.",
  unclear: "What came back cannot be taken: it was refused there, or is too old. Try again.",
  unknown: "Nobody here has your address. Ask an admin to invite you.",
  unverified: "It does not vouch for your address. Ask whoever keeps it, or sign in with a password.",
  ambiguous: "Several accounts have your address. Ask an admin to put that right.",
  deactivated: "Your account is deactivated. Ask an admin.",
};

export function SignInPage() {
  useTitle("Sign in");
  const { data: session } = useSession();
  const [forgotten, setForgotten] = useState(false);
  const asked = new URLSearchParams(window.location.search);
  const next = asked.get("next") ?? "";
  const refused = asked.get("refused");
  return (
    <main className="mx-auto mt-[12vh] w-full max-w-sm px-4 pb-8">
      <h1 className="mb-1 text-[34px]">
        Neat <em>Verdict</em>
      </h1>
      <p className="quiet mb-5">Did it work, and what do we do now?</p>
      {refused && session && (
        <p role="alert" className="sheet mb-3 border-l-4 border-l-error px-4 py-2">
          You were not signed in with {session.provider || "the provider"}. {REFUSED[refused] ?? REFUSED["unclear"]}
        </p>
      )}
      {forgotten ? (
        <Forgotten back={() => setForgotten(false)} />
      ) : (
        <div className="sheet p-5">
          <SignInForm
            done={() => enter(next)}
            further={
              <button
                type="button"
                className="link quiet justify-self-start text-sm"
                onClick={() => setForgotten(true)}
              >
                Password forgotten
              </button>
            }
          />
        </div>
      )}
      {session?.provider && !forgotten && (
        <a className="btn mt-3 w-full" href={`/sign-in/provider?next=${encodeURIComponent(next)}`}>
          Sign in with {session.provider}
        </a>
      )}
      {session && session.demo_accounts.length > 0 && !forgotten && <DemoAccounts next={next} />}
    </main>
  );
}

function Forgotten({ back }: { back: () => void }) {
  const ask = useAskForLink();
  const [name, setName] = useState("");
  return (
    <form
      className="sheet grid gap-3 p-5"
      onSubmit={(event) => {
        event.preventDefault();
        ask.mutate(name);
      }}
    >
      <h2 className="text-xl">Password forgotten</h2>
      {ask.isSuccess ? (
        <p role="status">
          If somebody has that name or address, a mail with a link is on its way to them. It works once, for three days.
          Without a mail, ask an admin.
        </p>
      ) : (
        <>
          <FormField label="Name, or address of mail" autoFocus autoComplete="username" value={name} change={setName} />
          <FormError error={ask.error} />
          <button className="btn btn-primary" disabled={!name.trim() || ask.isPending}>
            Mail me a link
          </button>
        </>
      )}
      <button type="button" className="link quiet justify-self-start text-sm" onClick={back}>
        Back to the sign-in
      </button>
    </form>
  );
}

function DemoAccounts({ next }: { next: string }) {
  const { data: session } = useSession();
  const signIn = useSignIn();
  if (!session) return null;
  return (
    <section className="mt-5" aria-label="Demo sign-ins">
      <h2 className="mb-1 text-lg">Demo sign-ins</h2>
      <p className="quiet mb-2 text-sm">{session.workspace} is invented. Pick a role to look around:</p>
      <div className="grid gap-2">
        {session.demo_accounts.map((account) => (
          <button
            key={account.username}
            className="btn btn-sm justify-between"
            onClick={() =>
              signIn.mutate(
                { username: account.username, password: account.password, code: "" },
                { onSuccess: () => enter(next) },
              )
            }
          >
            <span>{account.username}</span>
            <span className="quiet font-normal">
              {account.role} · {account.password}
            </span>
          </button>
        ))}
      </div>
      <FormError error={signIn.error} />
    </section>
  );
}
