import { useState, useSyncExternalStore } from "react";
import { client, take } from "../api/client";
import { useSession } from "../api/hooks";
import { recognise, signedOut } from "../api/signedOut";
import { Dialog } from "./Dialog";
import { SignInForm } from "./SignInForm";

/** Asks for the password at the place where somebody works when their session has ended; what waits for it then goes on. */
export function SignInAgain() {
  const who = useSyncExternalStore(signedOut.subscribe, signedOut.get);
  const { data: session } = useSession();
  const [absent, setAbsent] = useState(false);
  if (!who) return null;
  const goOn = async () => {
    const { account } = await take(client.GET("/api/v1/session"));
    if (account) recognise(account.username);
    else setAbsent(true);
  };
  const leave = () => window.location.assign(`/sign-in?next=${encodeURIComponent(window.location.pathname)}`);
  return (
    <Dialog title="Your session has ended" close={leave}>
      <p className="mb-3">
        Sign in again as {session?.account?.display_name ?? who}: you go on where you are, and what you typed is still
        here.
      </p>
      <SignInForm username={who} done={(found) => recognise(found.account?.username ?? who)} />
      {session?.provider && (
        <p className="mt-3 text-sm">
          With {session.provider}:{" "}
          <a className="link" href="/sign-in/provider?next=/account" target="_blank" rel="noreferrer">
            sign in in another tab
          </a>
          , then{" "}
          <button className="link" onClick={() => void goOn()}>
            go on here
          </button>
          .{absent && <span role="alert"> Nobody is signed in there yet.</span>}
        </p>
      )}
    </Dialog>
  );
}
