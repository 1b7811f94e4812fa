import { Component, useEffect, useState, type ReactNode } from "react";
import { Link } from "react-router";
import { CopyText } from "./CopyText";

interface Props {
  children: ReactNode;
  /** Where one is: what failed at one place is forgotten at another. */
  at: string;
  /** What shows instead; the usual words unless named. */
  instead?: (error: Error, again: () => void) => ReactNode;
}

/** What fails while it is drawn, or cannot be loaded, says so at its place, and the rest of the page goes on. */
export class Boundary extends Component<Props, { error: Error | null }> {
  override state = { error: null as Error | null };

  static getDerivedStateFromError(error: unknown) {
    return { error: error instanceof Error ? error : new Error(String(error)) };
  }

  override componentDidUpdate(before: Props) {
    if (before.at !== this.props.at && this.state.error) this.setState({ error: null });
  }

  override render() {
    const { error } = this.state;
    if (!error) return this.props.children;
    const again = () => this.setState({ error: null });
    return this.props.instead?.(error, again) ?? <Failed error={error} again={again} />;
  }
}

/** Parts of the program that browsers could not fetch, in the words of each of them. */
const NOT_LOADED = /dynamically imported module|importing a module script failed|unable to preload css/i;

export function Failed({ error, again }: { error: Error; again: () => void }) {
  return NOT_LOADED.test(error.message) ? <NotLoaded /> : <Broken error={error} again={again} />;
}

/** Whether the server has another version of the program than this page; null where it does not answer. */
async function isReplaced(): Promise<boolean | null> {
  try {
    const answer = await fetch("/", { cache: "no-store" });
    const served = new DOMParser().parseFromString(await answer.text(), "text/html");
    const script = (page: Document) => page.querySelector("script[type=module][src]")?.getAttribute("src");
    return script(served) !== script(document);
  } catch {
    return null;
  }
}

function NotLoaded() {
  const [replaced, setReplaced] = useState<boolean | null | undefined>(undefined);
  useEffect(() => {
    void isReplaced().then(setReplaced);
  }, []);
  if (replaced === undefined) return null;
  const [title, words] = replaced
    ? ["A new version is here", "This page was opened before it, and needs parts of the program that are no more."]
    : replaced === null
      ? ["This part of the page could not be loaded", "The server does not answer. Look at the network, then reload."]
      : ["This part of the page could not be loaded", "It did not come through. Reload to fetch it again."];
  return (
    <div role="alert" className="sheet border-l-4 border-l-warning px-4 py-3">
      <h2 className="mb-1 text-xl">{title}</h2>
      <p className="mb-3">{words} What was saved stays.</p>
      <button className="btn btn-primary" onClick={() => window.location.reload()}>
        Reload
      </button>
    </div>
  );
}

function Broken({ error, again }: { error: Error; again: () => void }) {
  const said = `${error.name}: ${error.message}`;
  return (
    <div role="alert" className="sheet border-l-4 border-l-error px-4 py-3">
      <h2 className="mb-1 text-xl">This part of the page failed</h2>
      <p className="mb-3">
        Nothing was lost that was saved. Try again; if it fails again, pass on what it says to whoever keeps this
        installation.
      </p>
      <p className="mb-3 font-mono text-sm break-words">{said}</p>
      <div className="flex flex-wrap gap-2">
        <button className="btn btn-primary" onClick={again}>
          Try again
        </button>
        <CopyText text={`${said}\n${window.location.href}\n${error.stack ?? ""}`} label="Copy what it says" />
        <Link className="btn" to="/">
          To the docket
        </Link>
      </div>
    </div>
  );
}
