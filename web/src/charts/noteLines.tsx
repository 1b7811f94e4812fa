import { ReferenceLine } from "recharts";

/** Lines on the days of change notes, for charts whose axis counts the days from 1. */
export function noteLines(days: string[], notes: { day: string; text: string }[] = []) {
  return notes
    .map((note) => ({ ...note, place: days.indexOf(note.day) + 1 }))
    .filter((note) => note.place > 0)
    .map((note, index) => (
      <ReferenceLine
        key={`${note.day}-${index}`}
        x={note.place}
        stroke="var(--color-neutral)"
        strokeDasharray="2 3"
        label={{ value: "◆", position: "insideTop", fontSize: 10, fill: "var(--color-neutral)" }}
      />
    ));
}

/** The notes of a day, where the pointer is at it. */
export function NotesOf({ day, notes }: { day: string; notes: readonly { day: string; text: string }[] }) {
  return notes
    .filter((note) => note.day === day)
    .map((note) => (
      <div key={note.text} className="font-semibold">
        ◆ {note.text}
      </div>
    ));
}
