import { AT_EXPOSURE, useEvidence, useSeenProperties } from "../../api/hooks";
import type { Adaptive, Handover } from "../../api/client";
import { ConditionGroups, NEW_GROUP } from "../../library/ConditionGroups";
import { useEditing } from "../editing";
import { tailoredLines } from "./tailored";

export type PlanLine = Handover["lines"][number];

interface Props {
  lines: PlanLine[];
  set: (change: (before: PlanLine[]) => PlanLine[]) => void;
  /** The variant that was decided for; a line without a letter gets it. */
  decided: string;
  errorFor: (path: string) => string | undefined;
}

/** Who gets what: an ordered list, of which the first line that fits decides; everybody else keeps control. */
export function RolloutLines({ lines, set, decided, errorFor }: Props) {
  const { experiment } = useEditing();
  const seen = useSeenProperties(AT_EXPOSURE);
  const several = (experiment.allocation?.properties.length ?? 0) > 1;
  const evidence = useEvidence(experiment.key, several);
  const policy = several ? (evidence.data?.reading.summary as Adaptive | null | undefined)?.policy : undefined;
  const put = (at: number, part: Partial<PlanLine>) =>
    set((before) => before.map((line, place) => (place === at ? { ...line, ...part } : line)));
  const swap = (at: number) =>
    set((before) => {
      const [above, line] = [before[at - 1], before[at]];
      return above && line ? [...before.slice(0, at - 1), line, above, ...before.slice(at + 1)] : before;
    });
  return (
    <fieldset className="mt-3">
      <legend className="quiet text-sm">Who gets what: the first line that fits; everybody else keeps A</legend>
      {lines.map((line, at) => (
        <div key={at} className="mt-1 border-b border-base-300 pb-2">
          <div className="flex flex-wrap items-center gap-2">
            <input
              className="input input-sm w-44"
              aria-label={`Name of line ${at + 1}`}
              value={line.name}
              maxLength={80}
              onChange={(event) => put(at, { name: event.target.value })}
            />
            <span className="quiet text-sm">{at ? "else get" : "get"}</span>
            <select
              className="select select-sm w-56"
              aria-label={`Variant of line ${at + 1}`}
              value={line.letter || decided}
              onChange={(event) => put(at, { letter: event.target.value })}
            >
              {experiment.variants.map(({ letter, name }) => (
                <option key={letter} value={letter}>
                  {letter}: {name}
                </option>
              ))}
            </select>
            <button
              type="button"
              className="btn btn-xs"
              aria-label={`Condition on line ${at + 1}`}
              onClick={() => put(at, { rules: [...line.rules, NEW_GROUP] })}
            >
              Condition
            </button>
            {at > 0 && (
              <button type="button" className="btn btn-xs" aria-label={`Line ${at + 1} up`} onClick={() => swap(at)}>
                ↑
              </button>
            )}
            {lines.length > 1 && (
              <button
                type="button"
                className="btn btn-xs"
                aria-label={`Remove line ${at + 1}`}
                onClick={() => set((before) => before.filter((_, place) => place !== at))}
              >
                Remove
              </button>
            )}
          </div>
          {line.rules.length > 0 && (
            <div className="mt-1 ml-4">
              <ConditionGroups
                groups={line.rules}
                set={(rules) => put(at, { rules })}
                mayEdit
                name={`Line ${at + 1}, group`}
                between="and"
                opening="Where"
                seen={seen}
                errorFor={(path) => errorFor(`lines.${at}.rules.${path}`)}
              />
            </div>
          )}
        </div>
      ))}
      <button
        type="button"
        className="btn btn-xs mt-2"
        onClick={() =>
          set((before) => [{ name: `Line ${before.length + 1}`, letter: "", rules: [NEW_GROUP] }, ...before])
        }
      >
        A line before
      </button>
      {policy && policy.choices.length > 0 && (
        <button type="button" className="btn btn-xs mt-2 ml-2" onClick={() => set(() => tailoredLines(policy))}>
          Each combination its best
        </button>
      )}
    </fieldset>
  );
}
