import { Panel } from "../../parts/basics";
import { ChoiceField } from "../../parts/fields";
import { useEditing } from "../editing";

const SOURCES = [
  { value: "files", label: "Your own system assigns; counts are brought in" },
  { value: "events", label: "Neat Verdict assigns; the site sends events" },
] as const;
const UNITS = [
  { value: "visitor", label: "Visitor: the same browser or app" },
  { value: "account", label: "Account: the same person on every device" },
  { value: "request", label: "Request: a new draw each time" },
] as const;

/** Who assigns, and what is assigned. */
export function Source() {
  const { experiment, save, mayEdit, locked } = useEditing();
  const fixed = locked || !mayEdit;
  const served = experiment.data_from === "events";
  return (
    <Panel
      fold={locked ? "source" : undefined}
      title="Who assigns"
      line={SOURCES.find((source) => source.value === experiment.data_from)?.label}
    >
      <div className="grid grid-cols-2 gap-4 max-md:grid-cols-1">
        <ChoiceField
          label="Assignments and data"
          value={experiment.data_from}
          options={SOURCES}
          save={(data_from) => save({ data_from })}
          locked={fixed}
        />
        {served && (
          <ChoiceField
            label="What is assigned"
            value={experiment.assignment_unit}
            options={UNITS}
            save={(assignment_unit) => save({ assignment_unit })}
            locked={fixed}
          />
        )}
      </div>
      {!served && (
        <p className="quiet mt-1 text-sm">
          Give every visitor one variant by chance, in the shares below, at the same time, and bring the counts in on
          the Watch sheet, or have them counted where the data live.
        </p>
      )}
      {served && experiment.assignment_unit === "request" && (
        <p className="tone-warning mt-1 text-sm">
          Requests are counted as if they were independent; one visitor who makes many makes the figures look surer than
          they are.
        </p>
      )}
    </Panel>
  );
}
