import { useState } from "react";
import { Panel } from "../../parts/basics";
import { useEditing } from "../editing";

/** Units that get a variant in order to look at it, before the start too; they do not count. */
export function Forced() {
  const { experiment, save, mayEdit, errorFor } = useEditing();
  const [unit, setUnit] = useState("");
  const [letter, setLetter] = useState("B");
  const entries = Object.entries(experiment.forced);
  const message = errorFor("forced");
  return (
    <Panel
      fold="forced"
      title="Forced variants"
      note="to look at them, before the start too; they do not count"
      line={entries.length ? entries.map(([name, shown]) => `${name} sees ${shown}`).join(", ") : "none"}
    >
      {entries.length > 0 && (
        <ul className="mb-2 flex flex-wrap gap-2">
          {entries.map(([name, shown]) => (
            <li key={name} className="flex items-center gap-2 rounded border border-base-300 px-2 py-0.5 text-sm">
              <span className="font-mono">{name}</span> sees {shown}
              {mayEdit && (
                <button
                  className="btn btn-xs"
                  aria-label={`✕ No longer force ${name}`}
                  onClick={() =>
                    save((latest) => ({
                      forced: Object.fromEntries(Object.entries(latest.forced).filter(([other]) => other !== name)),
                    }))
                  }
                >
                  ✕
                </button>
              )}
            </li>
          ))}
        </ul>
      )}
      {mayEdit && (
        <form
          className="flex flex-wrap items-center gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            const name = unit.trim();
            if (!name) return;
            save((latest) => ({ forced: { ...latest.forced, [name]: letter } }));
            setUnit("");
          }}
        >
          <input
            className="input input-sm w-48"
            aria-label="Visitor to force"
            placeholder="your visitor's name"
            value={unit}
            onChange={(event) => setUnit(event.target.value)}
          />
          <select
            className="select select-sm w-72"
            aria-label="Variant to force"
            value={letter}
            onChange={(event) => setLetter(event.target.value)}
          >
            {experiment.variants.map((variant) => (
              <option key={variant.letter} value={variant.letter}>
                {variant.letter}: {variant.name}
              </option>
            ))}
          </select>
          <button className="btn btn-sm" disabled={!unit.trim()}>
            Force
          </button>
        </form>
      )}
      {message && <p className="text-sm text-error">{message}</p>}
    </Panel>
  );
}
