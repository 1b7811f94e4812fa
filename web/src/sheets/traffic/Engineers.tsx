import { useState } from "react";
import { Link } from "react-router";
import { useMachineKeys, useSnippets } from "../../api/running";
import { Failure, Panel, Skeleton } from "../../parts/basics";
import { CopyText } from "../../parts/CopyText";
import { useEditing } from "../editing";

const LANGUAGES = [
  ["page", "On the page"],
  ["curl", "curl"],
  ["python", "Python"],
  ["javascript", "JavaScript"],
] as const;

/** The snippet an engineer needs, with the experiment's own names, and the list to assign without asking. */
export function Engineers() {
  const { experiment } = useEditing();
  const snippets = useSnippets(experiment.key);
  const machineKeys = useMachineKeys();
  const [language, setLanguage] = useState<(typeof LANGUAGES)[number][0]>("page");
  const inUse = machineKeys.data?.filter((key) => !key.withdrawn_at).length ?? 0;
  return (
    <Panel
      title="For the engineer"
      action={snippets.data && <CopyText text={snippets.data[language]} label="Copy the snippet" />}
    >
      <p className="quiet text-sm">
        The experiment's key is <span className="font-mono">{experiment.key}</span>.{" "}
        {inUse ? `${inUse} ${inUse === 1 ? "system has" : "systems have"} a key. ` : "No system has a key yet. "}
        <Link className="link" to="/connections">
          Keys and connections
        </Link>
        {" · "}
        <a className="link" href="/api/v1/traffic/running.json">
          List of running experiments
        </a>
        {" and "}
        <a className="link" href="/api/v1/traffic/assign.mjs">
          the algorithm in JavaScript
        </a>
        , to assign without asking.
      </p>
      <div role="tablist" aria-label="Language of the snippet" className="mt-2 flex gap-1">
        {LANGUAGES.map(([name, title]) => (
          <button
            key={name}
            role="tab"
            aria-selected={language === name}
            className={`btn btn-xs ${language === name ? "btn-primary" : ""}`}
            onClick={() => setLanguage(name)}
          >
            {title}
          </button>
        ))}
      </div>
      {snippets.isPending && <Skeleton rows={3} />}
      {snippets.isError && <Failure error={snippets.error} />}
      {snippets.data && (
        <pre tabIndex={0} aria-label="Snippet" className="mt-2 max-h-80 overflow-auto rounded bg-base-200 p-3 text-xs">
          {snippets.data[language]}
        </pre>
      )}
    </Panel>
  );
}
