import { useState } from "react";
import { useSession, useSignIn } from "./api/hooks";
import { FormError } from "./parts/basics";

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

export function SignInPage() {
  const { data: session } = useSession();
  const signIn = useSignIn();
  const [username, setUsername] = useState("");
  const [password, setPassword] = useState("");
  const enter = async (name: string, secret: string) => {
    await signIn.mutateAsync({ username: name, password: secret });
    window.location.assign(hereOrHome(new URLSearchParams(window.location.search).get("next") ?? "/"));
  };
  const tryEntering = (name: string, secret: string) => void enter(name, secret).catch(() => undefined);
  return (
    <main className="mx-auto mt-[12vh] w-full max-w-sm px-4">
      <h1 className="mb-1 text-[34px]">
        Neat <em>Verdict</em>
      </h1>
      <p className="quiet mb-5">Did it work, and what do we do now?</p>
      <form
        className="sheet grid gap-3 p-5"
        onSubmit={(event) => {
          event.preventDefault();
          tryEntering(username, password);
        }}
      >
        <label>
          <span className="quiet mb-1 block text-sm">Name</span>
          <input
            className="input w-full"
            autoFocus
            autoComplete="username"
            required
            value={username}
            onChange={(e) => setUsername(e.target.value)}
          />
        </label>
        <label>
          <span className="quiet mb-1 block text-sm">Password</span>
          <input
            className="input w-full"
            type="password"
            autoComplete="current-password"
            required
            value={password}
            onChange={(e) => setPassword(e.target.value)}
          />
        </label>
        <FormError error={signIn.error} />
        <button className="btn btn-primary" disabled={signIn.isPending}>
          Sign in
        </button>
      </form>
      {session && session.demo_accounts.length > 0 && (
        <section className="mt-5" aria-label="Demo sign-ins">
          <h2 className="mb-1 text-lg">Demo sign-ins</h2>
          <p className="quiet mb-2 text-sm">{session.workspace} is invented. Pick a role to look around:</p>
          <div className="grid gap-2">
            {session.demo_accounts.map((account) => (
              <button
                key={account.username}
                className="btn btn-sm justify-between"
                onClick={() => tryEntering(account.username, account.password)}
              >
                <span>{account.username}</span>
                <span className="quiet font-normal">
                  {account.role} · {account.password}
                </span>
              </button>
            ))}
          </div>
        </section>
      )}
    </main>
  );
}
