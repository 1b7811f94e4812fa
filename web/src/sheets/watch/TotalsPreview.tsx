import type { ReactNode } from "react";
import type { SecondCountSeen, SpendFileSeen } from "../../api/client";
import { LETTERS } from "../../api/vocabulary";
import { day, plural } from "../../lib/format";
import { WrongLines } from "../../parts/WrongLines";
import { DecimalMarkChoice } from "./DecimalMarkChoice";

interface Props {
  seen: Omit<SpendFileSeen & SecondCountSeen, "currency" | "remarks" | "source">;
  /** What follows the number of rows, such as " of analytics". */
  whose?: string;
  nameOf: (field: string) => string;
  chooseMark: (mark: "" | "." | ",") => void;
  storing: boolean;
  store: () => void;
  storeLabel: string;
  /** What else is asked or remarked before it is stored. */
  children?: ReactNode;
}

/** What a file of totals by day and variant holds: enough to see a decimal mark that was read wrongly. Nothing is stored yet. */
export function TotalsPreview({ seen, whose = "", nameOf, chooseMark, storing, store, storeLabel, children }: Props) {
  return (
    <div className="mt-2 text-sm" role="status">
      <p>
        {plural(seen.rows, "row")}
        {whose}
        {seen.first_day && seen.last_day && `, ${day(seen.first_day)} to ${day(seen.last_day)}`}.{" "}
        <b>Nothing is stored yet.</b>
      </p>
      {Object.entries(seen.totals).map(([field, totals]) => (
        <p key={field}>
          {nameOf(field)}:{" "}
          {totals.map((total, arm) => `${total.toLocaleString("en-GB")} in ${LETTERS[arm]}`).join(", ")}
        </p>
      ))}
      {(seen.decimal_open || seen.decimal_mark) && (
        <DecimalMarkChoice open={seen.decimal_open} mark={seen.decimal_mark} choose={chooseMark} />
      )}
      {seen.ignored.length > 0 && <p className="quiet">Not used: {seen.ignored.join(", ")}</p>}
      {seen.changed > 0 && (
        <p>{plural(seen.changed, "figure")} of days and variants that are there already will be replaced by others.</p>
      )}
      {children}
      <WrongLines
        wrong={seen.wrong_count}
        lines={seen.wrong.map((line) => ({ where: `line ${line.line}`, reason: line.reason }))}
        consequence="nothing can be stored before they are put right"
      />
      <button
        className="btn btn-sm btn-primary mt-1"
        disabled={storing || seen.wrong_count > 0 || seen.days === 0}
        onClick={store}
      >
        {storing ? "Storing…" : storeLabel}
      </button>
    </div>
  );
}
