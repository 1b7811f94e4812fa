import { useState } from "react";
import { Link } from "react-router";
import { useMachineKeys, useSnippets } from "../../api/running";
import { Failure, Panel, Skeleton } from "../../parts/basics";
import { CopyText } from "../../parts/CopyText";
import { useEditing } from "../editing";

/** The snippet an engineer needs, with the experiment's own names, and the list to assign without asking. */
export function Engineers() {
  const { experiment } = useEditing();
  const snippets = useSnippets(experiment.key);
  const machineKeys = useMachineKeys();
  const [language, setLanguage] = useState("");
  const shown = snippets.data?.find((one) => one.name === language) ?? snippets.data?.[0];
  const inUse = machineKeys.data?.filter((key) => !key.withdrawn_at).length ?? 0;
  return (
    <Panel title="For the engineer" action={shown && <CopyText text={shown.code} label="Copy the snippet" />}>
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
      <div role="tablist" aria-label="Language of the snippet" className="mt-2 flex flex-wrap gap-1">
        {snippets.data?.map(({ name, title }) => (
          <button
            key={name}
            role="tab"
            aria-selected={shown?.name === name}
            className={`btn btn-xs ${shown?.name === name ? "btn-primary" : ""}`}
            onClick={() => setLanguage(name)}
          >
            {title}
          </button>
        ))}
      </div>
      {snippets.isPending && <Skeleton rows={3} />}
      {snippets.isError && <Failure error={snippets.error} />}
      {shown && (
        <pre tabIndex={0} aria-label="Snippet" className="mt-2 max-h-80 overflow-auto rounded bg-base-200 p-3 text-xs">
          {shown.code}
        </pre>
      )}
    </Panel>
  );
}
