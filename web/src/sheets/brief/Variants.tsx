import { useState } from "react";
import type { Variant, VariantOut } from "../../api/client";
import { plural } from "../../lib/format";
import { Letter } from "../../parts/Letter";
import { Panel } from "../../parts/basics";
import { TextField } from "../../parts/fields";
import { variantsIn } from "../../api/edits";
import { useEditing } from "../editing";
import { DeliveryForAReason } from "../ForAReason";
import { SideBySide, VariantPictures } from "./Pictures";
import { PageChanges } from "./PageChanges";
import { Parameters } from "./Parameters";

const MOST = 10;
/** What changes in a variant, or how it follows from what is there by then. */
type Part = Partial<Variant> | ((variant: Variant) => Partial<Variant>);

export function Variants() {
  const { experiment, save, mayEdit, locked } = useEditing();
  const set = (id: number, part: Part) =>
    save((latest) => ({
      variants: variantsIn(latest).map((variant) =>
        variant.id === id ? { ...variant, ...(typeof part === "function" ? part(variant) : part) } : variant,
      ),
    }));
  const copyOf = (id: number) =>
    save((latest) => {
      const variants = variantsIn(latest);
      const source = variants.find((variant) => variant.id === id);
      if (!source) return { variants };
      return { variants: [...variants, { ...source, id: null, copy_of: id, name: `${source.name} (copy)` }] };
    });
  const remove = (id: number) =>
    save((latest) => ({ variants: variantsIn(latest).filter((variant) => variant.id !== id) }));
  const count = experiment.variants.length;
  return (
    <Panel
      title="Variants"
      note={
        locked
          ? "their number and split are locked since the start"
          : experiment.factors.length
            ? "every combination of the factors, control first"
            : "control first; one change at a time says most"
      }
    >
      <DeliveryForAReason />
      <ul className="divide-y divide-base-300">
        {experiment.variants.map((variant, index) => (
          <VariantLine
            key={variant.id}
            variant={variant}
            index={index}
            set={(part) => set(variant.id, part)}
            copy={
              mayEdit && !locked && !experiment.factors.length && count < MOST ? () => copyOf(variant.id) : undefined
            }
            remove={
              mayEdit && !locked && !experiment.factors.length && index > 0 && count > 2
                ? () => remove(variant.id)
                : undefined
            }
          />
        ))}
      </ul>
      <SideBySide variants={experiment.variants} />
    </Panel>
  );
}

interface LineProps {
  variant: VariantOut;
  index: number;
  set: (part: Part) => void;
  copy: (() => void) | undefined;
  remove: (() => void) | undefined;
}

function VariantLine({ variant, index, set, copy, remove }: LineProps) {
  const { experiment, mayEdit, ruleLocked, errorFor } = useEditing();
  const served = experiment.data_from === "events";
  const fixed = !mayEdit || ruleLocked;
  const [open, setOpen] = useState(false);
  const { letter } = variant;
  const more = [
    variant.parameters.length && plural(variant.parameters.length, "parameter"),
    variant.link && "link",
    variant.address && "own page",
    variant.page_changes.length && `${plural(variant.page_changes.length, "change")} on the page`,
    variant.pictures.length && plural(variant.pictures.length, "picture"),
  ].filter(Boolean);
  return (
    <li className="py-1.5">
      <div className="grid grid-cols-[20px_minmax(0,1fr)_minmax(0,1.4fr)_auto] items-center gap-3 max-sm:grid-cols-[20px_1fr]">
        <Letter letter={letter} />
        <TextField
          hideLabel
          label={`Name of ${letter}`}
          value={variant.name}
          save={(name) => set({ name })}
          locked={!mayEdit}
          error={errorFor(`variants.${index}.name`)}
        />
        {index === 0 ? (
          <span className="quiet text-sm">control: as it is now</span>
        ) : (
          <TextField
            hideLabel
            label={`Changes in ${letter}, separated by semicolons`}
            placeholder="What is changed; several separated by semicolons"
            value={variant.changes.join("; ")}
            save={(text) =>
              set({
                changes: text
                  .split(";")
                  .map((part) => part.trim())
                  .filter(Boolean),
              })
            }
            locked={fixed}
          />
        )}
        <span className="flex gap-1">
          <button className="btn btn-xs" aria-expanded={open} onClick={() => setOpen(!open)}>
            {more.length ? more.join(", ") : "More"}
            <span className="sr-only"> of {letter}</span>
          </button>
          {copy && (
            <button className="btn btn-xs" onClick={copy} aria-label={`Copy ${letter} to a new variant`}>
              Copy
            </button>
          )}
          {remove && (
            <button className="btn btn-xs" onClick={remove} aria-label={`Remove ${letter}`}>
              Remove
            </button>
          )}
        </span>
      </div>
      {index > 0 && variant.page_changes.length > 0 && !open && (
        <ul className="quiet ml-8 list-disc pl-4 text-sm">
          {variant.page_changes_in_words.map((words, at) => (
            <li key={at} className={variant.page_changes[at]?.on ? "" : "line-through"}>
              {words}
            </li>
          ))}
        </ul>
      )}
      {open && (
        <div className="mt-1 mb-2 ml-8 grid grid-cols-2 gap-x-6 max-lg:grid-cols-1">
          <Parameters
            variant={variant}
            index={index}
            save={(change) => set((now) => ({ parameters: change(now.parameters ?? []) }))}
          />
          <div>
            <TextField
              label={`Where ${letter} can be seen (link)`}
              placeholder="https://… or /path"
              value={variant.link}
              save={(link) => set({ link })}
              locked={fixed}
              error={errorFor(`variants.${index}.link`)}
            />
            {index > 0 && served && (
              <TextField
                label={`Address, if ${letter} is a page of its own`}
                placeholder="/sailings-b"
                note="Visitors of the page go there before anything is drawn, with the query they came with. Name the page as its canonical link, so that search engines do not count it twice."
                value={variant.address}
                save={(address) => set({ address })}
                locked={fixed}
                error={errorFor(`variants.${index}.address`)}
              />
            )}
            <VariantPictures variant={variant} />
          </div>
          {index > 0 && served && <PageChanges variant={variant} index={index} />}
        </div>
      )}
    </li>
  );
}
