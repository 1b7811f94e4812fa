import { useState } from "react";
import type { ConditionGroup } from "../../api/client";
import { useAudiences, useKeepAudience, useReadyAudiences } from "../../api/running";
import { FormError } from "../../parts/basics";
import { rate } from "../../lib/format";

interface Props {
  groups: ConditionGroup[];
  /** Put rules into the form, where they are looked at and edited before they are saved. */
  take: (groups: ConditionGroup[]) => void;
}

interface Choice {
  id: string;
  number?: number;
  name: string;
  words: string;
  groups: ConditionGroup[];
  said: string;
  part: number | null;
}

/** Audiences to begin with, ready-made or kept; and the rules here kept under a name. An experiment has its own copy. */
export function AudienceLibrary({ groups, take }: Props) {
  const kept = useAudiences();
  const ready = useReadyAudiences();
  const { keep, change, remove } = useKeepAudience();
  const [name, setName] = useState("");
  const [chosen, setChosen] = useState("");
  const choices: { label: string; lines: Choice[] }[] = [
    {
      label: "Kept for reuse",
      lines: (kept.data ?? []).map((one) => ({
        ...one,
        id: `kept ${one.id}`,
        number: one.id,
        said: one.size.sentence,
        part: one.size.share,
      })),
    },
    {
      label: "Ready-made",
      lines: (ready.data ?? []).map((one) => ({
        ...one,
        id: `ready ${one.name}`,
        said: one.to_fill_in ? "" : (one.size?.sentence ?? ""),
        part: one.size?.share ?? null,
      })),
    },
  ].filter(({ lines }) => lines.length > 0);
  const match = choices.flatMap(({ lines }) => lines).find((one) => one.id === chosen);
  const present = kept.data?.find((one) => one.name.toLowerCase() === name.trim().toLowerCase());
  const done = () => setName("");
  return (
    <div className="mt-2 flex flex-wrap items-center gap-2 text-sm">
      <select
        className="select select-xs w-64"
        aria-label="Audience to begin with"
        value={chosen}
        onChange={(event) => setChosen(event.target.value)}
      >
        <option value="">Begin with an audience…</option>
        {choices.map(({ label, lines }) => (
          <optgroup key={label} label={label}>
            {lines.map((one) => (
              <option key={one.id} value={one.id}>
                {one.name}
                {one.part !== null && ` · ${rate(one.part, 0)}`}
              </option>
            ))}
          </optgroup>
        ))}
      </select>
      {match && (
        <>
          <span className="quiet">{match.words}</span>
          <button
            className="btn btn-xs"
            onClick={() => {
              take(match.groups);
              setChosen("");
            }}
          >
            Use it
          </button>
          {match.number !== undefined && (
            <button
              className="btn btn-xs"
              onClick={() => remove.mutate(match.number ?? 0, { onSuccess: () => setChosen("") })}
            >
              Remove
            </button>
          )}
        </>
      )}
      {groups.length > 0 && !match && (
        <form
          className="flex items-center gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            if (present)
              change.mutate(
                { number: present.id, name: present.name, description: present.description ?? "", groups },
                { onSuccess: done },
              );
            else keep.mutate({ name, description: "", groups }, { onSuccess: done });
          }}
        >
          <input
            className="input input-xs w-44"
            aria-label="Name for the library"
            placeholder="Visitors on phones"
            value={name}
            onChange={(event) => setName(event.target.value)}
          />
          <button className="btn btn-xs" disabled={!name.trim()}>
            {present ? "Replace in the library" : "Save to the library"}
          </button>
        </form>
      )}
      {match?.said && <p className="quiet w-full">{match.said}</p>}
      <FormError error={keep.error ?? change.error ?? remove.error} />
    </div>
  );
}
