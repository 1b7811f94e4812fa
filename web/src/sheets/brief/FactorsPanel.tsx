import { useEffect } from "react";
import type { Experiment } from "../../api/client";
import { LETTERS } from "../../api/vocabulary";
import { useDraft } from "../../lib/drafts";
import { plural } from "../../lib/format";
import { FormError, Panel, errorOf } from "../../parts/basics";
import { Term } from "../../parts/Term";
import { useEditing } from "../editing";

type Factor = Experiment["factors"][number];
interface Draft {
  name: string;
  levels: string;
}

const MOST = LETTERS.length;
const FIRST: Draft[] = [
  { name: "", levels: "" },
  { name: "", levels: "" },
];

/** Several things that are changed at once: their combinations become the variants. */
export function FactorsPanel() {
  const { experiment, save, mayEdit, locked, error } = useEditing();
  const fixed = locked || !mayEdit;
  // What is typed belongs to the factors that it was begun with: once others are stored it is over.
  const stored = JSON.stringify(experiment.factors);
  const [begun, setBegun] = useDraft<{ from: string; lines: Draft[] }>("factors");
  const over = begun !== null && begun.from !== stored;
  useEffect(() => {
    if (over) setBegun(null);
  }, [over, setBegun]);
  const draft = begun && !over ? begun.lines : null;
  const setDraft = (lines: Draft[] | null) => setBegun(lines && { from: stored, lines });
  const present = experiment.factors.map(written);
  const shown = draft ?? present;
  if (fixed && present.length === 0) return null;
  const count = shown.reduce((product, one) => product * Math.max(levelsOf(one).length, 1), 1);
  const change = (place: number, part: Partial<Draft>) =>
    setDraft(shown.map((one, at) => (at === place ? { ...one, ...part } : one)));
  const wrong = ["factors", "factors.name", "factors.levels"].map((field) => errorOf(error, field)).find(Boolean);
  if (shown.length === 0)
    return (
      <Panel title={<Term name="Factors" />} note="two or more things at once, in every combination">
        <button className="btn btn-sm" onClick={() => setDraft(FIRST)}>
          Test several factors…
        </button>
      </Panel>
    );
  return (
    <Panel
      title={<Term name="Factors" />}
      note={fixed ? "locked since the start" : "the first level of each is the base; every combination is a variant"}
    >
      <form
        onSubmit={(event) => {
          event.preventDefault();
          save({ factors: shown.map((one) => ({ name: one.name.trim(), levels: levelsOf(one) })) });
        }}
      >
        {shown.map((one, place) => (
          <div key={place} className="mb-2 flex flex-wrap items-center gap-2">
            <input
              className="input input-sm w-40"
              aria-label={`Factor ${place + 1}`}
              placeholder={place ? "price badge" : "photo"}
              value={one.name}
              maxLength={40}
              readOnly={fixed}
              onChange={(event) => change(place, { name: event.target.value })}
            />
            <input
              className="input input-sm min-w-60 flex-1"
              aria-label={`Levels of factor ${place + 1}, the base first`}
              placeholder={place ? "none, shown" : "ferry, island"}
              value={one.levels}
              readOnly={fixed}
              onChange={(event) => change(place, { levels: event.target.value })}
            />
            {!fixed && shown.length > 2 && (
              <button
                type="button"
                className="btn btn-xs"
                aria-label={`Remove factor ${place + 1}`}
                onClick={() => setDraft(shown.filter((_, at) => at !== place))}
              >
                ✕
              </button>
            )}
          </div>
        ))}
        <p role="status" className={`text-sm ${count > MOST ? "text-error" : "quiet"}`}>
          {plural(count, "combination")}, each a variant{count > MOST ? `: at most ${MOST} can be tested` : ""}. Levels
          are set apart by commas.
        </p>
        {wrong && (
          <p role="alert" className="text-sm text-error">
            {wrong}
          </p>
        )}
        {draft && !wrong && <FormError error={error} />}
        {!fixed && (
          <div className="mt-2 flex flex-wrap gap-2">
            <button className="btn btn-sm btn-primary" disabled={!draft || count > MOST}>
              Make the variants
            </button>
            {shown.length < 3 && (
              <button
                type="button"
                className="btn btn-sm"
                onClick={() => setDraft([...shown, { name: "", levels: "" }])}
              >
                Add a factor
              </button>
            )}
            {draft ? (
              <button type="button" className="btn btn-sm" onClick={() => setDraft(null)}>
                Cancel
              </button>
            ) : (
              <button type="button" className="btn btn-sm" onClick={() => save({ factors: [] })}>
                Back to plain variants
              </button>
            )}
          </div>
        )}
      </form>
    </Panel>
  );
}

function written(factor: Factor): Draft {
  return { name: factor.name, levels: factor.levels.join(", ") };
}

function levelsOf(one: Draft): string[] {
  return one.levels
    .split(",")
    .map((text) => text.trim())
    .filter(Boolean);
}
