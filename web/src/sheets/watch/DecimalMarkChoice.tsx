interface Props {
  /** Whether the numbers of the file do not show it. */
  open: boolean;
  mark: string | null;
  choose: (mark: "." | ",") => void;
}

/** By which mark a file separates decimals: as its numbers show it, or to be chosen. */
export function DecimalMarkChoice({ open, mark, choose }: Props) {
  return (
    <label className="text-sm">
      <span className="quiet block">decimals come after a</span>
      <select
        className={`select select-xs w-36 ${open ? "select-error" : ""}`}
        value={mark ?? ""}
        onChange={(event) => choose(event.target.value as "." | ",")}
      >
        {!mark && <option value="">choose…</option>}
        <option value=".">point: 1,234.5</option>
        <option value=",">comma: 1.234,5</option>
      </select>
    </label>
  );
}
