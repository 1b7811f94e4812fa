import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useId, useState } from "react";
import type { PageChange, VariantOut } from "../../api/client";
import { usePointing } from "../../api/hooks";
import { askAgain, keys } from "../../api/keys";
import { variantsIn } from "../../api/edits";
import { useEditing } from "../editing";
import { changeOf, FIELDS, KINDS, typed, type Typed } from "./pageChanges";

interface Props {
  variant: VariantOut;
  index: number;
}

/** What the variant changes on the page itself: lines in plain words, made in this order. */
export function PageChanges({ variant, index }: Props) {
  const { experiment, save, mayEdit, ruleLocked, errorsIn } = useEditing();
  const [editing, setEditing] = useState<number | "new" | null>(null);
  const { letter, page_changes: changes, page_changes_in_words: words } = variant;
  const fixed = !mayEdit || ruleLocked;
  const set = (part: (now: PageChange[]) => PageChange[], done?: () => void) =>
    save(
      (latest) => ({
        variants: variantsIn(latest).map((one) =>
          one.id === variant.id ? { ...one, page_changes: part(one.page_changes ?? []) } : one,
        ),
      }),
      done,
    );
  const others = experiment.variants.filter((one) => one.id !== variant.id && one.page_changes.length > 0);
  const close = () => setEditing(null);
  // By the field of the form that is open: the list shows which change it is.
  const errors = errorsIn(`variants.${index}.page_changes`).map((text) =>
    text.replace(/^variants\.\d+\.page changes\.\d+\./, ""),
  );
  return (
    <section className="col-span-full mt-2" aria-label={`Changes on the page in ${letter}`}>
      <h3 className="quiet text-sm">Changes on the page, without a developer</h3>
      {!experiment.page && changes.length === 0 ? (
        <p className="quiet text-sm">Give the address of the page below to change it there.</p>
      ) : (
        <>
          {changes.length > 0 && (
            <ol className="divide-y divide-base-300">
              {changes.map((change, at) => (
                <li key={at} className="py-1">
                  <div className="flex flex-wrap items-center gap-1.5">
                    <label className="flex min-w-0 grow items-baseline gap-2">
                      <input
                        type="checkbox"
                        className="checkbox checkbox-xs translate-y-0.5"
                        checked={change.on ?? true}
                        disabled={fixed}
                        onChange={(event) => {
                          const on = event.target.checked;
                          set((now) => now.map((one, place) => (place === at ? { ...one, on } : one)));
                        }}
                      />
                      <span className={change.on ? "" : "quiet line-through"}>{words[at]}</span>
                    </label>
                    {!fixed && (
                      <>
                        {at > 0 && (
                          <button
                            className="btn btn-xs"
                            aria-label={`Change ${at + 1} of ${letter} up`}
                            onClick={() => set((now) => moved(now, at))}
                          >
                            ↑
                          </button>
                        )}
                        <button
                          className="btn btn-xs"
                          aria-label={`Edit change ${at + 1} of ${letter}`}
                          onClick={() => setEditing(at)}
                        >
                          Edit
                        </button>
                        <button
                          className="btn btn-xs"
                          aria-label={`Remove change ${at + 1} of ${letter}`}
                          onClick={() => set((now) => now.filter((_, place) => place !== at))}
                        >
                          Remove
                        </button>
                      </>
                    )}
                  </div>
                  {editing === at && (
                    <ChangeForm
                      first={typed(change)}
                      close={close}
                      errors={errors}
                      keep={(made) => set((now) => now.map((one, place) => (place === at ? made : one)), close)}
                    />
                  )}
                </li>
              ))}
            </ol>
          )}
          {!fixed && editing === null && (
            <div className="mt-1 flex flex-wrap gap-1.5">
              {experiment.page && experiment.state === "draft" && <OnThePage letter={letter} />}
              <button className="btn btn-xs" onClick={() => setEditing("new")}>
                Add a change
              </button>
              {others.map((other) => (
                <button
                  key={other.id}
                  className="btn btn-xs"
                  onClick={() => set((now) => [...now, ...other.page_changes])}
                >
                  Copy those of {other.letter}
                </button>
              ))}
            </div>
          )}
          {editing === "new" && (
            <ChangeForm
              first={typed()}
              close={close}
              errors={errors}
              keep={(made) => set((now) => [...now, made], close)}
            />
          )}
        </>
      )}
    </section>
  );
}

/** Opens the page with a bar of ours, by which what changes is pointed at; what was changed there is here on coming back. */
function OnThePage({ letter }: { letter: string }) {
  const { experiment } = useEditing();
  const cache = useQueryClient();
  const link = usePointing(experiment.key);
  const opened = link.isSuccess;
  useEffect(() => {
    if (!opened) return;
    const back = () => void askAgain(cache, keys.experiment(experiment.key));
    addEventListener("focus", back);
    return () => removeEventListener("focus", back);
  }, [opened, cache, experiment.key]);
  const open = async () => {
    // Opened by the press itself: what opens later is kept shut by browsers.
    const tab = window.open("about:blank");
    try {
      const { address } = await link.mutateAsync(letter);
      if (!tab) return;
      tab.opener = null;
      tab.location.replace(address);
    } catch {
      tab?.close();
    }
  };
  return (
    <>
      <button className="btn btn-xs btn-primary" disabled={link.isPending} onClick={() => void open()}>
        Change it on the page
      </button>
      {link.data && (
        <span className="quiet self-center text-sm">
          Open to you for an hour:{" "}
          <a className="link" href={link.data.address} target="_blank" rel="noreferrer">
            the page
          </a>
        </span>
      )}
      {link.error && (
        <span role="alert" className="self-center text-sm text-error">
          {link.error.message}
        </span>
      )}
    </>
  );
}

function moved(changes: PageChange[], at: number): PageChange[] {
  const [above, line] = [changes[at - 1], changes[at]];
  return above && line ? [...changes.slice(0, at - 1), line, above, ...changes.slice(at + 1)] : changes;
}

interface FormProps {
  first: Typed;
  close: () => void;
  keep: (change: PageChange) => void;
  errors: string[];
}

/** One change; what was typed stays until it has been accepted. */
function ChangeForm({ first, close, keep, errors }: FormProps) {
  const [given, setGiven] = useState(first);
  const id = useId();
  const kind = KINDS[given.kind];
  const set = (part: Partial<Typed>) => setGiven((before) => ({ ...before, ...part }));
  return (
    <form
      className="my-2 grid grid-cols-2 gap-x-4 gap-y-1 border-l-2 border-base-300 pl-3 max-sm:grid-cols-1"
      onSubmit={(event) => {
        event.preventDefault();
        keep(changeOf(given));
      }}
    >
      <label className="col-span-full">
        <span className="quiet block text-sm">What changes</span>
        <select
          className="select select-sm w-64"
          value={given.kind}
          onChange={(event) => set({ kind: event.target.value as Typed["kind"] })}
        >
          {Object.entries(KINDS).map(([name, { title }]) => (
            <option key={name} value={name}>
              {title}
            </option>
          ))}
        </select>
      </label>
      {kind.fields.map((field) => (
        <label key={field} className={field === "html" || field === "css" ? "col-span-full" : ""}>
          <span className="quiet block text-sm">{FIELDS[field].label}</span>
          {FIELDS[field].lines ? (
            <textarea
              className="textarea textarea-sm w-full font-mono"
              rows={FIELDS[field].lines}
              placeholder={FIELDS[field].placeholder}
              aria-describedby={errors.length ? id : undefined}
              value={given[field]}
              onChange={(event) => set({ [field]: event.target.value })}
            />
          ) : (
            <input
              className="input input-sm w-full"
              placeholder={FIELDS[field].placeholder}
              aria-describedby={errors.length ? id : undefined}
              value={given[field]}
              onChange={(event) => set({ [field]: event.target.value })}
            />
          )}
        </label>
      ))}
      {kind.places && (
        <label>
          <span className="quiet block text-sm">Place</span>
          <select
            className="select select-sm w-full"
            value={given.place}
            onChange={(event) => set({ place: event.target.value as Typed["place"] })}
          >
            {kind.places.map(({ value, label }) => (
              <option key={value} value={value}>
                {label}
              </option>
            ))}
          </select>
        </label>
      )}
      {errors.length > 0 && (
        <p id={id} role="alert" className="col-span-full text-sm text-error">
          {errors.join("; ")}
        </p>
      )}
      <div className="col-span-full mt-1 flex gap-2">
        <button className="btn btn-sm btn-primary">Save the change</button>
        <button type="button" className="btn btn-sm" onClick={close}>
          Cancel
        </button>
      </div>
    </form>
  );
}
