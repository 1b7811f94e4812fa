import { useState } from "react";

/** Puts a table on the clipboard, as tab-separated cells that a spreadsheet takes. */
export function CopyTable({ text }: { text: string }) {
  const [done, setDone] = useState<"" | "Copied" | "The browser does not allow it">("");
  const copy = async () => {
    try {
      await navigator.clipboard.writeText(text);
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
