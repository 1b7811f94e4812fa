import { percentText, plural } from "../../lib/format";
import { NumberField } from "../../parts/fields";
import { useEditing } from "../editing";

const LEVELS = [
  { key: "scout", name: "Scout", confidence: 0.9, power: 0.7 },
  { key: "standard", name: "Standard", confidence: 0.95, power: 0.8 },
  { key: "strict", name: "Strict", confidence: 0.99, power: 0.9 },
] as const;

/** Three named pairs of confidence and power, or one's own. */
export function StrictnessChoice() {
  const { experiment, save, mayEdit, ruleLocked, errorFor } = useEditing();
  const fixed = ruleLocked || !mayEdit;
  const { confidence, power, plan } = experiment;
  return (
    <fieldset disabled={fixed}>
      <legend className="sr-only">Strictness</legend>
      <div className="grid gap-1.5">
        {LEVELS.map((level) => {
          const chosen = confidence === level.confidence && power === level.power;
          const weeks = plan?.weeks_by_strictness[level.key];
          return (
            <label
              key={level.key}
              className={`flex cursor-pointer items-center gap-3 rounded-md border px-3 py-1.5 ${chosen ? "border-primary bg-base-200" : "border-base-300"}`}
            >
              <input
                type="radio"
                name="strictness"
                className="radio radio-sm radio-primary"
                checked={chosen}
                onChange={() => save({ confidence: level.confidence, power: level.power })}
              />
              <span className="grow">
                <span className="block font-semibold">{level.name}</span>
                <span className="quiet text-sm">
                  {percentText(level.confidence)}% confidence, {percentText(level.power)}% power
                </span>
              </span>
              {weeks !== undefined && <span className="font-serif text-lg">{plural(weeks, "week")}</span>}
            </label>
          );
        })}
      </div>
      <div className="mt-1 border-b border-base-300">
        <NumberField
          label="Confidence"
          percent
          unit="%"
          value={confidence}
          save={(value) => value !== null && save({ confidence: value })}
          locked={fixed}
          error={errorFor("confidence")}
        />
        <NumberField
          label="Power"
          percent
          unit="%"
          value={power}
          save={(value) => value !== null && save({ power: value })}
          locked={fixed}
          error={errorFor("power")}
        />
      </div>
    </fieldset>
  );
}
