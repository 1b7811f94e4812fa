import { useState } from "react";
import { Problem, type Session } from "../api/client";
import { useSignIn } from "../api/hooks";
import { errorOf, FormError } from "./basics";
import { FormField } from "./FormField";

interface Props {
  /** Whose it must be; empty for anybody's. */
  username?: string;
  done: (session: Session) => void;
  /** At the end of the form, until a code is asked for. */
  further?: React.ReactNode;
}

/** Name and password, then the code of the second factor where there is one. */
export function SignInForm({ username: known = "", done, further }: Props) {
  const signIn = useSignIn();
  const [username, setUsername] = useState(known);
  const [password, setPassword] = useState("");
  const [code, setCode] = useState("");
  // Asked for once the password is right; what is wrong with a code is said there.
  const [asksForCode, setAsksForCode] = useState(false);
  const needed = signIn.error instanceof Problem && signIn.error.code === "second-factor";
  if (needed && !asksForCode) setAsksForCode(true);
  const wrongCode = errorOf(signIn.error, "code");
  return (
    <form
      className="grid gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        signIn.mutate({ username, password, code }, { onSuccess: done });
      }}
    >
      {asksForCode ? (
        <>
          <p>The password is right. Now the code that your phone shows, or one of your recovery codes:</p>
          <FormField
            key="code"
            label="Code"
            autoFocus
            autoComplete="one-time-code"
            value={code}
            change={setCode}
            error={wrongCode}
          />
        </>
      ) : (
        <>
          {!known && <FormField label="Name" autoFocus autoComplete="username" value={username} change={setUsername} />}
          <FormField
            label="Password"
            type="password"
            autoFocus={!!known}
            autoComplete="current-password"
            value={password}
            change={setPassword}
          />
        </>
      )}
      {!needed && !wrongCode && <FormError error={signIn.error} />}
      <button
        className="btn btn-primary"
        disabled={signIn.isPending || (asksForCode ? !code.trim() : !username.trim() || !password)}
      >
        Sign in
      </button>
      {asksForCode ? (
        <button
          type="button"
          className="link quiet justify-self-start text-sm"
          onClick={() => [setAsksForCode(false), setCode(""), signIn.reset()]}
        >
          {known ? "Back to the password" : "Somebody else"}
        </button>
      ) : (
        further
      )}
    </form>
  );
}
