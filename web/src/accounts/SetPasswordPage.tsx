import { useState } from "react";
import { Link, useParams } from "react-router";
import { useChoosePassword, usePasswordLink } from "../api/accounts";
import { errorOf, FormError, Skeleton } from "../parts/basics";
import { FormField } from "../parts/FormField";
import { useTitle } from "../parts/title";

/** Where a link of a mail leads: the first password, or another one. */
export function SetPasswordPage() {
  useTitle("Choose a password");
  const { place = "", token = "" } = useParams();
  const link = usePasswordLink(place, token);
  const choose = useChoosePassword();
  const [password, setPassword] = useState("");
  return (
    <main className="mx-auto mt-[12vh] w-full max-w-sm px-4">
      <h1 className="mb-4 text-[27px]">{link.data?.first ? "Your first password" : "Another password"}</h1>
      {link.isPending && <Skeleton rows={2} />}
      {link.isError && (
        <div role="alert" className="sheet border-l-4 border-l-error px-4 py-3">
          {link.error.message} <Link to="/sign-in">To the sign-in</Link>
        </div>
      )}
      {link.data && (
        <form
          className="sheet grid gap-3 p-5"
          onSubmit={(event) => {
            event.preventDefault();
            choose.mutate(
              { place, token, password },
              { onSuccess: (session) => window.location.assign(session.account ? "/" : "/sign-in") },
            );
          }}
        >
          <p>
            For <strong>{link.data.display_name}</strong>
            {link.data.display_name !== link.data.username && `, who signs in as ${link.data.username}`}.
          </p>
          {/* So that a browser keeps the password with the name. */}
          <input type="hidden" name="username" autoComplete="username" value={link.data.username} readOnly />
          <FormField
            label="Password"
            type="password"
            autoComplete="new-password"
            autoFocus
            value={password}
            change={setPassword}
            error={errorOf(choose.error, "password")}
          />
          <ul className="quiet ml-4 list-disc text-sm">
            {link.data.demands.map((one) => (
              <li key={one}>{one}</li>
            ))}
          </ul>
          {!errorOf(choose.error, "password") && <FormError error={choose.error} />}
          <button className="btn btn-primary" disabled={!password || choose.isPending}>
            Choose this password
          </button>
        </form>
      )}
    </main>
  );
}
