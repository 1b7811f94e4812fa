import { useChangeNotes, useNotes } from "../../api/running";
import { useWritten } from "../../lib/drafts";
import { plural, weekday } from "../../lib/format";
import { FormError, Panel } from "../../parts/basics";
import { useEditing } from "../editing";
import { DayInput } from "../../parts/DayInput";

/** What changed elsewhere while the experiment ran; drawn on the charts over time. */
export function ChangeNotes() {
  const { experiment, mayEdit } = useEditing();
  const notes = useNotes(experiment.key);
  const { add, remove } = useChangeNotes(experiment.key);
  const { form, write, done } = useWritten("change elsewhere", { day: "", text: "", everywhere: true });
  return (
    <Panel
      fold="changes-elsewhere"
      title="Changes elsewhere"
      note="campaigns, releases, prices: drawn on every chart over time"
      line={notes.data && (notes.data.length ? plural(notes.data.length, "note") : "none noted in these days")}
    >
      {notes.data?.length === 0 && <p className="quiet text-sm">None noted in these days.</p>}
      <ul className="text-sm">
        {notes.data?.map((note) => (
          <li key={note.id ?? note.text} className="flex items-center gap-3 border-b border-base-300 py-1">
            <span className="w-24 whitespace-nowrap">{weekday(note.day)}</span>
            <span className="grow">
              {note.text}{" "}
              <span className="quiet">
                {note.everywhere ? "everywhere" : "here"}
                {note.by && ` · ${note.by}`}
              </span>
            </span>
            {mayEdit && note.id !== null && (
              <button
                className="btn btn-xs"
                aria-label={`✕ Remove the note ${note.text}`}
                onClick={() => note.id !== null && remove.mutate(note.id)}
              >
                ✕
              </button>
            )}
          </li>
        ))}
      </ul>
      {mayEdit && (
        <form
          className="mt-2 flex flex-wrap items-center gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            add.mutateAsync(form).then(done, () => undefined);
          }}
        >
          <DayInput
            label="Day of the change"
            aria-label="Day of the change"
            value={form.day}
            change={(day) => write({ day })}
          />
          <input
            className="input input-sm w-64"
            aria-label="What changed"
            placeholder="Summer campaign began"
            value={form.text}
            onChange={(event) => write({ text: event.target.value })}
          />
          <label className="flex items-center gap-1 text-sm">
            <input
              type="checkbox"
              className="checkbox checkbox-xs"
              checked={form.everywhere}
              onChange={(event) => write({ everywhere: event.target.checked })}
            />
            for all experiments
          </label>
          <button className="btn btn-sm" disabled={!form.day || !form.text.trim() || add.isPending}>
            Add
          </button>
        </form>
      )}
      <FormError error={add.error} />
    </Panel>
  );
}
