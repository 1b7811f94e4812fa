import { useState } from "react";

/** Puts a text on the clipboard and says so; one that is costly to make is made when it is asked for. */
export function CopyText({ text, label }: { text: string | (() => string); label: string }) {
  const [done, setDone] = useState<"" | "Copied" | "The browser does not allow it">("");
  const copy = async () => {
    try {
      await navigator.clipboard.writeText(typeof text === "string" ? text : text());
      setDone("Copied");
    } catch {
      setDone("The browser does not allow it");
    }
  };
  return (
    <span className="flex items-center gap-2 text-sm">
      <button type="button" className="btn btn-xs" onClick={() => void copy()}>
        {label}
      </button>
      <span role="status" className="quiet empty:hidden">
        {done}
      </span>
    </span>
  );
}
