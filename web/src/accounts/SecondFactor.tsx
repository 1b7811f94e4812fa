import { useState } from "react";
import { useOwnActions, type Me } from "../api/accounts";
import { plural } from "../lib/format";
import { CopyText } from "../parts/CopyText";
import { errorOf, FormError, Panel } from "../parts/basics";
import { FormField } from "../parts/FormField";

/** Codes of a phone that signing in asks for in addition to the password. */
export function SecondFactor({ me }: { me: Me }) {
  const actions = useOwnActions();
  const { beginFactor, confirmFactor, renewCodes, removeFactor } = actions;
  const [password, setPassword] = useState("");
  const [code, setCode] = useState("");
  const codes = renewCodes.data?.codes ?? confirmFactor.data?.codes;
  const error = [beginFactor, renewCodes, removeFactor].map((one) => one.error).find(Boolean) ?? null;
  const begun = !me.second_factor && beginFactor.data;
  const once = { onSuccess: () => setPassword("") };
  return (
    <Panel
      title="Second factor"
      note={
        me.second_factor
          ? `on; ${plural(me.codes_left, "recovery code")} left`
          : "off; with it, signing in asks for a code of your phone too"
      }
    >
      {begun ? (
        <div className="flex flex-wrap gap-5">
          <img
            src={begun.picture}
            alt="The secret as a QR code, for an app that makes codes"
            className="size-44 shrink-0 rounded border border-base-300"
          />
          <form
            className="grid min-w-64 grow content-start gap-3"
            onSubmit={(event) => {
              event.preventDefault();
              confirmFactor.mutate(code, { onSuccess: () => setCode("") });
            }}
          >
            <p>Scan this with an app that makes codes, or type the secret into it; then give the code that it shows.</p>
            <div className="flex flex-wrap items-center gap-2">
              <code className="rounded bg-base-200 px-2 py-1 text-sm break-all">{begun.secret}</code>
              <CopyText text={begun.secret} label="Copy the secret" />
            </div>
            <div className="w-48">
              <FormField
                small
                label="Code"
                autoComplete="one-time-code"
                value={code}
                change={setCode}
                error={errorOf(confirmFactor.error, "code")}
              />
            </div>
            <div>
              <button className="btn btn-primary btn-sm" disabled={!code.trim() || confirmFactor.isPending}>
                Turn it on
              </button>
            </div>
            {!errorOf(confirmFactor.error, "code") && <FormError error={confirmFactor.error} />}
          </form>
        </div>
      ) : (
        <form
          className="flex flex-wrap items-start gap-3"
          onSubmit={(event) => {
            event.preventDefault();
            if (!me.second_factor) beginFactor.mutate(password, once);
          }}
        >
          {me.has_password && (
            <div className="w-64">
              <FormField
                small
                label="Your password"
                type="password"
                autoComplete="current-password"
                value={password}
                change={setPassword}
                error={errorOf(error, "password")}
              />
            </div>
          )}
          <div className="flex flex-wrap gap-2 sm:pt-6">
            {me.second_factor ? (
              <>
                <button type="button" className="btn btn-sm" onClick={() => renewCodes.mutate(password, once)}>
                  Other recovery codes
                </button>
                <button
                  type="button"
                  className="btn btn-sm"
                  onClick={() =>
                    removeFactor.mutate(password, {
                      onSuccess: () => [
                        setPassword(""),
                        beginFactor.reset(),
                        confirmFactor.reset(),
                        renewCodes.reset(),
                      ],
                    })
                  }
                >
                  Turn it off
                </button>
              </>
            ) : (
              <button className="btn btn-sm" disabled={beginFactor.isPending}>
                Set it up…
              </button>
            )}
          </div>
        </form>
      )}
      {!errorOf(error, "password") && <FormError error={error} />}
      {codes && me.second_factor && (
        <div role="status" className="mt-3 border-l-4 border-l-success pl-3">
          <p className="font-semibold">Recovery codes, shown this once; each signs you in once without the phone:</p>
          <ul className="my-2 grid w-fit grid-cols-2 gap-x-6 font-mono text-sm">
            {codes.map((one) => (
              <li key={one}>{one}</li>
            ))}
          </ul>
          <CopyText text={codes.join("\n")} label="Copy the codes" />
        </div>
      )}
    </Panel>
  );
}
