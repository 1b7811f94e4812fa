import { useState } from "react";
import type { Snippet } from "../api/client";
import { CopyText } from "./CopyText";

/** Code for a site, in one language after another. */
export function Snippets({ snippets }: { snippets: Snippet[] }) {
  const [language, setLanguage] = useState("");
  const shown = snippets.find((one) => one.name === language) ?? snippets[0];
  if (!shown) return null;
  return (
    <>
      <div className="mt-2 flex flex-wrap items-center gap-1">
        <div role="tablist" aria-label="Language of the snippet" className="flex flex-wrap gap-1">
          {snippets.map(({ name, title }) => (
            <button
              key={name}
              role="tab"
              aria-selected={shown.name === name}
              className={`btn btn-xs ${shown.name === name ? "btn-primary" : ""}`}
              onClick={() => setLanguage(name)}
            >
              {title}
            </button>
          ))}
        </div>
        <span className="grow" />
        <CopyText text={shown.code} label="Copy the snippet" />
      </div>
      <pre tabIndex={0} aria-label="Snippet" className="mt-2 max-h-80 overflow-auto rounded bg-base-200 p-3 text-xs">
        {shown.code}
      </pre>
    </>
  );
}
