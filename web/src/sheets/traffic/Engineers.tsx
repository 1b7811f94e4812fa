import { Link } from "react-router";
import { useMachineKeys, useSnippets } from "../../api/running";
import { Failure, Panel, Skeleton } from "../../parts/basics";
import { Snippets } from "../../parts/Snippets";
import { useEditing } from "../editing";

/** The snippet an engineer needs, with the experiment's own names, and the list to assign without asking. */
export function Engineers() {
  const { experiment } = useEditing();
  const snippets = useSnippets(experiment.key);
  const machineKeys = useMachineKeys();
  const inUse = machineKeys.data?.filter((key) => !key.withdrawn_at).length ?? 0;
  return (
    <Panel fold="engineers" title="For the engineer" line="the key, snippets, and assigning without asking">
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
      {snippets.isPending && <Skeleton rows={3} />}
      {snippets.isError && <Failure error={snippets.error} />}
      {snippets.data && <Snippets snippets={snippets.data} />}
    </Panel>
  );
}
