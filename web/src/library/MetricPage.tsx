import { Link, useNavigate, useParams } from "react-router";
import { Problem as ProblemError, type Metric } from "../api/client";
import { useDeleteMetric, useMetric, useSaveMetric, useSession, type MetricDraft } from "../api/hooks";
import { DraftPlace, useWritten } from "../lib/drafts";
import { day } from "../lib/format";
import { STATES } from "../lib/words";
import { Asked } from "../parts/Asked";
import { Failure, FormError, Panel, Skeleton } from "../parts/basics";
import { AATest } from "./AATest";
import { DefinitionFields } from "./DefinitionFields";
import { Problem } from "./ConditionFields";
import { kindNamed } from "../api/vocabulary";
import { FIRST } from "./kinds";
import { WorkedExample } from "./WorkedExample";
import { useTitle } from "../parts/title";

/** One metric: what it counts, tried on events, where it is used. */
export function MetricPage() {
  const { key = "" } = useParams();
  const known = key === "new" ? null : key;
  const { data: session } = useSession();
  const metric = useMetric(known);
  useTitle(known ? (metric.data?.name ?? "") : "A new metric", "Metrics");
  if (known && metric.isPending)
    return (
      <main className="p-6">
        <Skeleton rows={6} />
      </main>
    );
  if (known && metric.isError)
    return (
      <main className="p-6">
        <h1 className="mb-3 text-[27px]">No metric here</h1>
        <Failure error={metric.error} again={() => void metric.refetch()} />
      </main>
    );
  // What was written over another version does not come back over this one.
  const place = session?.account ? `${session.account.username}/metrics/${key}/${metric.data?.version ?? 0}` : "";
  return (
    <DraftPlace value={place}>
      <Editor key={place} metric={known ? (metric.data ?? null) : null} />
    </DraftPlace>
  );
}

function Editor({ metric }: { metric: Metric | null }) {
  const navigate = useNavigate();
  const { data: session } = useSession();
  const save = useSaveMetric(metric?.key ?? null);
  const mayEdit = session?.account?.may_edit ?? false;
  const { form: draft, write, done } = useWritten<MetricDraft>("definition", pickDraft(metric));
  const errorFor = (path: string) => (save.error instanceof ProblemError ? save.error.fields[path] : undefined);
  const changed = JSON.stringify(draft) !== JSON.stringify(pickDraft(metric));
  const submit = async () => {
    const saved = await save.mutateAsync({ ...draft, version: metric?.version ?? 0 });
    done();
    void navigate(`/metrics/${saved.key}`, { replace: true });
  };
  return (
    <main className="mx-auto max-w-[1280px] px-6 pt-4 pb-12 max-sm:px-3">
      <div className="quiet text-sm">
        <Link className="link" to="/metrics">
          Metrics
        </Link>
        {metric && ` · version ${metric.version}`}
      </div>
      <h1 className="mb-1 text-[27px] wrap-anywhere" dir="auto">
        {metric ? metric.name : "A new metric"}
      </h1>
      {metric && <p className="mb-3 font-serif text-lg leading-snug">{metric.words}</p>}
      <div className="grid grid-cols-[minmax(0,1.35fr)_minmax(0,1fr)] items-start gap-3 max-lg:grid-cols-1">
        <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
          <Panel
            title="What it counts"
            note={metric ? "a change makes a new version; running experiments keep theirs" : ""}
          >
            <form
              onSubmit={(event) => {
                event.preventDefault();
                void submit().catch(() => undefined);
              }}
            >
              <fieldset disabled={!mayEdit}>
                <legend className="sr-only">Definition</legend>
                <div className="grid grid-cols-[minmax(0,1fr)_minmax(0,1.4fr)] gap-3 max-sm:grid-cols-1">
                  <label className="text-sm">
                    <span className="quiet block">Name</span>
                    <input
                      className="input input-sm w-full"
                      autoFocus={!metric}
                      maxLength={80}
                      value={draft.name}
                      onChange={(event) => write({ name: event.target.value })}
                    />
                    {errorFor("name") && <Problem text={errorFor("name") ?? ""} />}
                  </label>
                  <label className="text-sm">
                    <span className="quiet block">Description</span>
                    <input
                      className="input input-sm w-full"
                      value={draft.description}
                      onChange={(event) => write({ description: event.target.value })}
                    />
                  </label>
                </div>
                <DefinitionFields
                  value={draft.definition}
                  set={(definition) => write({ definition })}
                  errorFor={errorFor}
                />
              </fieldset>
              <FormError error={save.error} />
              {mayEdit && (
                <div className="mt-2 flex justify-end gap-2">
                  {metric && (
                    <button type="button" className="btn btn-sm" disabled={!changed} onClick={done}>
                      Undo the changes
                    </button>
                  )}
                  <button className="btn btn-sm btn-primary" disabled={!changed || save.isPending}>
                    {metric ? "Save as a new version" : "Create"}
                  </button>
                </div>
              )}
            </form>
          </Panel>
          {metric && !kindNamed(metric.definition.kind).parts.includes("totals") && <AATest metric={metric.key} />}
          {metric && <UsedBy metric={metric} mayEdit={mayEdit} />}
        </div>
        {!kindNamed(draft.definition.kind).parts.includes("totals") && (
          <WorkedExample definition={draft.definition} said={metric?.words} />
        )}
      </div>
    </main>
  );
}

function pickDraft(metric: Metric | null): MetricDraft {
  return metric
    ? { name: metric.name, description: metric.description, definition: metric.definition }
    : { name: "", description: "", definition: FIRST };
}

function UsedBy({ metric, mayEdit }: { metric: Metric; mayEdit: boolean }) {
  const remove = useDeleteMetric(metric.key);
  const navigate = useNavigate();
  return (
    <Panel title="Used by" note={metric.uses.length ? "a used metric cannot be removed" : ""}>
      {metric.uses.length === 0 && (
        <p className="quiet">
          No experiment yet.{" "}
          {mayEdit && (
            <Asked
              what="Remove"
              title={`Remove ${metric.name}?`}
              className="link"
              run={{
                ...remove,
                mutate: () => remove.mutate(undefined, { onSuccess: () => void navigate("/metrics") }),
              }}
            >
              Its definition and all its versions go; no experiment uses it.
            </Asked>
          )}
        </p>
      )}
      <ul>
        {metric.uses.map((use) => (
          <li key={use.experiment} className="flex gap-3 py-0.5">
            <Link className="link grow" to={`/experiments/${use.experiment}/brief`}>
              {use.name}
            </Link>
            <span className="quiet text-sm">{use.role === "goal" ? "second goal" : use.role}</span>
            <span className="quiet w-24 text-sm">{STATES[use.state as keyof typeof STATES]}</span>
            <span className="quiet w-20 text-right text-sm">version {use.version}</span>
          </li>
        ))}
      </ul>
      <FormError error={remove.error} />
      {metric.versions.length > 1 && (
        <div className="mt-2 border-t border-base-300 pt-2 text-sm">
          <h3 className="font-sans font-semibold">Versions</h3>
          {metric.versions.map((version) => (
            <p key={version.number}>
              {version.number}, {day(version.made_at)}, {version.made_by}:{" "}
              <span className="quiet">{version.words}</span>
            </p>
          ))}
        </div>
      )}
    </Panel>
  );
}
