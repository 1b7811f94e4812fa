import { useState } from "react";
import type { Reading } from "../../api/client";
import { tableText } from "../../lib/tableText";

/** Puts the variant table on the clipboard, in cells that a spreadsheet takes. */
export function CopyTable({ reading }: { reading: Reading }) {
  const [done, setDone] = useState<"" | "Copied" | "The browser does not allow it">("");
  const copy = async () => {
    try {
      await navigator.clipboard.writeText(tableText(reading));
      setDone("Copied");
    } catch {
      setDone("The browser does not allow it");
    }
  };
  return (
    <span className="flex items-center gap-2 text-sm">
      <span role="status" className="quiet">
        {done}
      </span>
      <button className="btn btn-xs" onClick={() => void copy()}>
        Copy table
      </button>
    </span>
  );
}
