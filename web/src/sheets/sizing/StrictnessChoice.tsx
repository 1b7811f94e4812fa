import { percentText, plural } from "../../lib/format";
import { NumberField } from "../../parts/fields";
import { RadioCard } from "../../parts/RadioCard";
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
            <RadioCard
              key={level.key}
              group="strictness"
              name={level.name}
              description={`${percentText(level.confidence)}% confidence, ${percentText(level.power)}% power`}
              chosen={chosen}
              choose={() => save({ confidence: level.confidence, power: level.power })}
              end={
                weeks !== undefined && <span className="self-center font-serif text-lg">{plural(weeks, "week")}</span>
              }
            />
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
