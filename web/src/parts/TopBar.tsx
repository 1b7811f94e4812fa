import { lazy, Suspense, useState } from "react";
import { Link, NavLink, useLocation, useNavigate } from "react-router";
import { useSession } from "../api/hooks";
import { useKeys } from "../lib/keyboard";
import { initialsOf, ROUND } from "./initials";
import { PLACES } from "./places";
import { Unread } from "./Unread";

// What opens on a click comes after the page.
const AccountMenu = lazy(() => import("./AccountMenu"));
const PlacesMenu = lazy(() => import("./PlacesMenu"));
const Palette = lazy(() => import("./Palette"));
const KeyList = lazy(() => import("./KeyList").then((m) => ({ default: m.KeyList })));
const NewExperiment = lazy(() => import("./NewExperiment").then((m) => ({ default: m.NewExperiment })));

export function TopBar() {
  const { data: session } = useSession();
  const [creating, setCreating] = useState(false);
  const [keysShown, setKeysShown] = useState(false);
  const [finding, setFinding] = useState(false);
  const [typed, setTyped] = useState("");
  const find = () => {
    setTyped("");
    setFinding(true);
  };
  const navigate = useNavigate();
  const mayEdit = session?.account?.may_edit ?? false;
  useKeys({
    "/": find,
    "ctrl+k": find,
    "?": () => setKeysShown(true),
    n: () => mayEdit && setCreating(true),
    ...Object.fromEntries(PLACES.map(({ keys, to }) => [keys, () => void navigate(to)])),
  });
  const actions = [
    ...(mayEdit ? [{ title: "New experiment", run: () => setCreating(true) }] : []),
    { title: "Keys", run: () => setKeysShown(true) },
    { title: "Your account", run: () => void navigate("/account") },
    { title: "Connections", run: () => void navigate("/connections") },
  ];
  return (
    <>
      <header className="no-print sticky top-0 z-20 flex h-12 items-center gap-6 border-b border-base-300 bg-base-100 px-5 max-lg:gap-3 max-sm:gap-1.5 max-sm:px-2">
        <Link to="/" className="font-serif text-[21px] whitespace-nowrap">
          Neat <em>Verdict</em>
        </Link>
        <nav className="flex h-full gap-5 max-lg:hidden" aria-label="Places">
          {PLACES.filter((place) => place.inBar).map(({ to, title }) => (
            <NavLink
              key={to}
              to={to}
              end
              className={({ isActive }) =>
                `flex h-full items-center gap-1.5 border-b-[3px] ${isActive ? "border-primary font-semibold" : "quiet border-transparent"}`
              }
            >
              {title}
              {to === "/notices" && <Unread />}
            </NavLink>
          ))}
        </nav>
        <span className="min-w-0 lg:hidden">
          <Suspense>
            <PlacesMenu present={usePresent()} />
          </Suspense>
        </span>
        <button
          type="button"
          className="input input-sm ml-auto w-60 cursor-pointer justify-between bg-base-200 max-lg:w-44 max-sm:w-auto max-sm:px-2"
          aria-keyshortcuts="Control+K"
          onClick={find}
        >
          <span className="quiet">
            Find<span className="max-sm:hidden">…</span>
          </span>
          <kbd className="kbd kbd-sm text-base-content max-sm:hidden" aria-hidden>
            Ctrl K
          </kbd>
        </button>
        {mayEdit && (
          <button className="btn btn-primary btn-sm max-sm:hidden" onClick={() => setCreating(true)}>
            New experiment
          </button>
        )}
        {session?.account && (
          <Suspense fallback={<span className={ROUND}>{initialsOf(session.account.display_name)}</span>}>
            <AccountMenu account={session.account} showKeys={() => setKeysShown(true)} />
          </Suspense>
        )}
        <Suspense>
          {creating && <NewExperiment close={() => setCreating(false)} />}
          {keysShown && <KeyList close={() => setKeysShown(false)} />}
        </Suspense>
        {finding && (
          <Suspense fallback={<PaletteToCome close={() => setFinding(false)} typed={typed} type={setTyped} />}>
            <Palette close={() => setFinding(false)} actions={actions} typed={typed} type={setTyped} />
          </Suspense>
        )}
      </header>
      {session?.warning && (
        <p role="alert" className="no-print border-b border-base-300 bg-base-100 px-5 py-1 text-sm text-error">
          {session.warning}.
        </p>
      )}
    </>
  );
}

/** Takes what is typed until the search has come, so that none of it falls to the keys of the page. */
function PaletteToCome({ close, typed, type }: { close: () => void; typed: string; type: (text: string) => void }) {
  return (
    <div className="fixed inset-x-0 top-[10vh] z-50 flex justify-center p-4 max-sm:p-2">
      <div role="dialog" aria-label="Find" className="sheet w-full max-w-xl p-2">
        <input
          className="input w-full"
          aria-label="Find"
          autoFocus
          value={typed}
          onChange={(event) => type(event.target.value)}
          onKeyDown={(event) => event.key === "Escape" && close()}
        />
      </div>
    </div>
  );
}

/** What the menu of places is called after: where one is. */
function usePresent(): string {
  const { pathname } = useLocation();
  return PLACES.find((place) => place.to === pathname)?.title ?? "Places";
}
