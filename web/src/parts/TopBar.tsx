import { lazy, Suspense, useRef, useState } from "react";
import { Link, NavLink, useNavigate, useSearchParams } from "react-router";
import { useSession } from "../api/hooks";
import { useNotices } from "../api/running";
import { useKeys } from "../lib/keyboard";
import { initialsOf, ROUND } from "./initials";

// What opens on a click comes after the page.
const AccountMenu = lazy(() => import("./AccountMenu"));
const KeyList = lazy(() => import("./KeyList").then((m) => ({ default: m.KeyList })));
const NewExperiment = lazy(() => import("./NewExperiment").then((m) => ({ default: m.NewExperiment })));

export function TopBar() {
  const { data: session } = useSession();
  const [creating, setCreating] = useState(false);
  const [keysShown, setKeysShown] = useState(false);
  const search = useRef<HTMLInputElement>(null);
  const navigate = useNavigate();
  const mayEdit = session?.account?.may_edit ?? false;
  useKeys({
    "/": () => search.current?.focus(),
    "?": () => setKeysShown(true),
    n: () => mayEdit && setCreating(true),
    "g d": () => void navigate("/"),
    "g c": () => void navigate("/casebook"),
    "g m": () => void navigate("/metrics"),
    "g s": () => void navigate("/scratchpad"),
    "g w": () => void navigate("/glossary"),
    "g n": () => void navigate("/notices"),
  });
  return (
    <>
      <header className="no-print sticky top-0 z-20 flex h-12 items-center gap-6 border-b border-base-300 bg-base-100 px-5 max-lg:gap-3 max-sm:px-3">
        <Link to="/" className="font-serif text-[21px] whitespace-nowrap">
          Neat <em>Verdict</em>
        </Link>
        <nav className="flex h-full gap-5 max-lg:gap-3 max-md:min-w-0 max-md:overflow-x-auto" aria-label="Places">
          <Place to="/">Docket</Place>
          <Place to="/casebook">Casebook</Place>
          <Place to="/metrics" narrow={false}>
            Metrics
          </Place>
          <Place to="/scratchpad">Scratchpad</Place>
          <NoticesPlace />
        </nav>
        <SearchBox input={search} />
        {mayEdit && (
          <button className="btn btn-primary btn-sm max-md:ml-auto max-sm:hidden" onClick={() => setCreating(true)}>
            New experiment
          </button>
        )}
        {session?.account && (
          <span className="max-sm:ml-auto">
            <Suspense fallback={<span className={ROUND}>{initialsOf(session.account.display_name)}</span>}>
              <AccountMenu account={session.account} showKeys={() => setKeysShown(true)} />
            </Suspense>
          </span>
        )}
        <Suspense>
          {creating && <NewExperiment close={() => setCreating(false)} />}
          {keysShown && <KeyList close={() => setKeysShown(false)} />}
        </Suspense>
      </header>
      {session?.warning && (
        <p role="alert" className="no-print border-b border-base-300 bg-base-100 px-5 py-1 text-sm text-error">
          {session.warning}.
        </p>
      )}
    </>
  );
}

function Place({ to, narrow = true, children }: { to: string; narrow?: boolean; children: string }) {
  return (
    <NavLink
      to={to}
      end
      className={({ isActive }) =>
        `flex h-full items-center border-b-[3px] ${narrow ? "" : "max-sm:hidden"} ${isActive ? "border-primary font-semibold" : "quiet border-transparent"}`
      }
    >
      {children}
    </NavLink>
  );
}

/** The notices, with how many are new. */
function NoticesPlace() {
  const { data } = useNotices();
  const unread = data?.unread ?? 0;
  return (
    <NavLink
      to="/notices"
      className={({ isActive }) =>
        `flex h-full items-center gap-1.5 border-b-[3px] max-sm:hidden ${isActive ? "border-primary font-semibold" : "quiet border-transparent"}`
      }
    >
      Notices
      {unread > 0 && (
        <span className="rounded bg-primary px-1.5 text-xs font-semibold text-primary-content">
          {unread}
          <span className="sr-only"> new</span>
        </span>
      )}
    </NavLink>
  );
}

function SearchBox({ input }: { input: React.RefObject<HTMLInputElement | null> }) {
  const [params] = useSearchParams();
  const navigate = useNavigate();
  const find = (text: string) => void navigate(text ? `/?search=${encodeURIComponent(text)}` : "/", { replace: true });
  return (
    <label className="input input-sm ml-auto w-60 bg-base-200 max-lg:w-40 max-md:hidden">
      <input
        ref={input}
        type="search"
        placeholder="Find an experiment"
        aria-label="Find an experiment"
        defaultValue={params.get("search") ?? ""}
        onChange={(event) => find(event.target.value)}
        onKeyDown={(event) => event.key === "Escape" && event.currentTarget.blur()}
      />
      <kbd className="kbd kbd-sm text-base-content">/</kbd>
    </label>
  );
}
