import type { Variant } from "../../api/client";
import { Letter } from "../../parts/Letter";
import { Panel } from "../../parts/basics";
import { TextField } from "../../parts/fields";
import { useEditing } from "../editing";

const MOST = 10;

export function Variants() {
  const { experiment, save, mayEdit, locked } = useEditing();
  const variants: Variant[] = experiment.variants.map(({ name, changes, weight }) => ({
    name,
    changes: changes ?? [],
    weight: weight ?? 1,
  }));
  const set = (index: number, part: Partial<Variant>) =>
    save({ variants: variants.map((variant, i) => (i === index ? { ...variant, ...part } : variant)) });
  const copyOf = (index: number) => {
    const source = variants[index];
    if (source) save({ variants: [...variants, { ...source, name: `${source.name} (copy)` }] });
  };
  return (
    <Panel
      title="Variants"
      note={
        locked ? "their number and split are locked since the start" : "control first; one change at a time tells most"
      }
    >
      <ul className="divide-y divide-base-300">
        {variants.map((variant, index) => {
          const letter = "ABCDEFGHIJ"[index] ?? "";
          return (
            <li
              key={index}
              className="grid grid-cols-[20px_minmax(0,1fr)_minmax(0,1.4fr)_auto] items-center gap-3 py-1.5 max-sm:grid-cols-[20px_1fr]"
            >
              <Letter letter={letter} />
              <TextField
                hideLabel
                label={`Name of ${letter}`}
                value={variant.name}
                save={(name) => set(index, { name })}
                locked={!mayEdit}
              />
              {index === 0 ? (
                <span className="quiet text-sm">control: as it is now</span>
              ) : (
                <TextField
                  hideLabel
                  label={`Changes in ${letter}, parted by semicolons`}
                  placeholder="What is changed; several parted by semicolons"
                  value={variant.changes?.join("; ") ?? ""}
                  save={(text) =>
                    set(index, {
                      changes: text
                        .split(";")
                        .map((part) => part.trim())
                        .filter(Boolean),
                    })
                  }
                  locked={!mayEdit}
                />
              )}
              <span className="flex gap-1">
                {mayEdit && !locked && variants.length < MOST && (
                  <button
                    className="btn btn-xs"
                    onClick={() => copyOf(index)}
                    aria-label={`Copy ${letter} to a new variant`}
                  >
                    Copy
                  </button>
                )}
                {mayEdit && !locked && index > 0 && variants.length > 2 && (
                  <button
                    className="btn btn-xs"
                    onClick={() => save({ variants: variants.filter((_, i) => i !== index) })}
                    aria-label={`Remove ${letter}`}
                  >
                    Remove
                  </button>
                )}
              </span>
            </li>
          );
        })}
      </ul>
    </Panel>
  );
}
