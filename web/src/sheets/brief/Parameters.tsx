import { DraftWithin } from "../../parts/DraftWithin";
import type { Parameter, VariantOut } from "../../api/client";
import { TextField } from "../../parts/fields";
import { useEditing } from "../editing";

const KINDS: { value: Parameter["kind"]; label: string }[] = [
  { value: "text", label: "text" },
  { value: "number", label: "number" },
  { value: "true_false", label: "true or false" },
  { value: "json", label: "JSON" },
];
const FIRST: Record<NonNullable<Parameter["kind"]>, string> = { text: "", number: "0", true_false: "true", json: "{}" };

interface Props {
  variant: VariantOut;
  index: number;
  save: (change: (parameters: Parameter[]) => Parameter[]) => void;
}

/** Values that the site reads from an assignment. */
export function Parameters({ variant, index, save }: Props) {
  const { mayEdit, ruleLocked, errorFor } = useEditing();
  const { parameters, letter } = variant;
  const set = (place: number, part: Partial<Parameter>) =>
    save((now) => now.map((parameter, i) => (i === place ? { ...parameter, ...part } : parameter)));
  const error = parameters
    .flatMap((_, place) => ["name", "value"].map((part) => errorFor(`variants.${index}.parameters.${place}.${part}`)))
    .find(Boolean);
  return (
    <DraftWithin name={letter}>
      <fieldset disabled={!mayEdit || ruleLocked}>
        <legend className="quiet text-sm">Parameters the site reads</legend>
        {parameters.map((parameter, place) => (
          <div key={parameter.name} className="flex items-center gap-1.5">
            <TextField
              hideLabel
              label={`Parameter ${place + 1} of ${letter}`}
              value={parameter.name}
              save={(name) => set(place, { name })}
            />
            <select
              className="select select-sm w-36"
              aria-label={`Kind of ${parameter.name}`}
              value={parameter.kind}
              onChange={(event) => {
                const kind = event.target.value as NonNullable<Parameter["kind"]>;
                set(place, { kind, value: FIRST[kind] });
              }}
            >
              {KINDS.map((kind) => (
                <option key={kind.value} value={kind.value}>
                  {kind.label}
                </option>
              ))}
            </select>
            <TextField
              hideLabel
              label={`Value of ${parameter.name}`}
              value={parameter.value ?? ""}
              save={(value) => set(place, { value })}
            />
            <button
              type="button"
              className="btn btn-xs"
              aria-label={`Remove ${parameter.name}`}
              onClick={() => save((now) => now.filter((_, i) => i !== place))}
            >
              ✕
            </button>
          </div>
        ))}
        {error && (
          <div role="alert" className="text-sm text-error">
            {error}
          </div>
        )}
        <button
          type="button"
          className="btn btn-xs mt-1"
          onClick={() => save((now) => [...now, { name: `parameter_${now.length + 1}`, kind: "text", value: "" }])}
        >
          Add a parameter
        </button>
      </fieldset>
    </DraftWithin>
  );
}
