import { useState } from "react";
import { Panel } from "../../parts/basics";
import { ComboField, TextField } from "../../parts/fields";
import { metricsIn } from "../../api/edits";
import { useEditing } from "../editing";
import { FactorsPanel } from "./FactorsPanel";
import { Forecasts } from "./Forecasts";
import { useMetricNames } from "../../api/hooks";
import { MakeNew, MetricsPanel } from "./MetricsPanel";
import { OnPagePanel } from "./page/OnPagePanel";
import { Variants } from "./Variants";

export function BriefSheet() {
  const { experiment, save, mayEdit, locked, errorFor } = useEditing();
  const fixed = locked || !mayEdit;
  return (
    <>
      <Panel title="Name and hypothesis" note={locked ? "the metric is locked since the start" : "saved as you go"}>
        <div className="grid grid-cols-[minmax(0,1fr)_14rem] gap-x-5 max-sm:grid-cols-1">
          <TextField
            label="Name"
            value={experiment.name}
            save={(name) => save({ name })}
            locked={!mayEdit}
            error={errorFor("name")}
          />
          <TextField
            label="Area"
            value={experiment.area}
            save={(area) => save({ area })}
            locked={!mayEdit}
            placeholder="Booking"
          />
        </div>
        <p className="my-2 font-serif text-lg leading-snug">{experiment.hypothesis}</p>
        <div className="grid grid-cols-2 gap-x-5 max-sm:grid-cols-1">
          <TextField
            label="What changes"
            value={experiment.change}
            save={(change) => save({ change })}
            locked={!mayEdit}
            placeholder="showing the calendar before the list"
            error={errorFor("change")}
          />
          <TextField
            label="For whom"
            value={experiment.audience}
            save={(audience) => save({ audience })}
            locked={!mayEdit}
            placeholder="all visitors"
          />
          <TextField
            label="Because"
            value={experiment.because}
            save={(because) => save({ because })}
            locked={!mayEdit}
            placeholder="people choose the day before the hour"
          />
          <PrimaryMetric />
        </div>
        {experiment.remarks.length > 0 && (
          <ul className="mt-3 border-t border-base-300 pt-2" aria-label="Remarks">
            {experiment.remarks.map((remark) => (
              <li key={remark} className="tone-warning text-sm">
                {remark}
              </li>
            ))}
          </ul>
        )}
      </Panel>
      <MetricsPanel />
      <FactorsPanel />
      <Variants />
      <OnPagePanel />
      <Forecasts />
      <Panel fold="about" title="About" line={`key ${experiment.key}; units are called ${experiment.unit_name}`}>
        <TextField
          label="Units are called"
          value={experiment.unit_name}
          save={(unit_name) => save({ unit_name })}
          locked={fixed}
          error={errorFor("unit_name")}
          note={`Key: ${experiment.key}`}
        />
        <TextField
          label="Description"
          value={experiment.description}
          save={(description) => save({ description })}
          locked={!mayEdit}
          lines={2}
        />
      </Panel>
    </>
  );
}

/** Picked from the library by name. A name that is not there is made a plain conversion only where that is said. */
function PrimaryMetric() {
  const names = useMetricNames();
  const [tried, setTried] = useState("");
  const { experiment, save, mayEdit, locked, errorFor } = useEditing();
  const primary = experiment.metrics.find((use) => use.role === "primary");
  const set = (name: string, isNew = false) => {
    setTried(isNew ? "" : name);
    save((latest) => {
      const others = metricsIn(latest).filter(
        (use) => use.role !== "primary" && use.name.toLowerCase() !== name.toLowerCase(),
      );
      const line = {
        name,
        role: "primary" as const,
        margin: null,
        baseline: null,
        standard_deviation: null,
        new: isNew,
      };
      return { metrics: name ? [line, ...others] : others };
    });
  };
  const error = errorFor("metrics") ?? (tried ? errorFor("metrics.0.name") : undefined);
  return (
    <>
      <ComboField
        label="Primary metric"
        value={primary?.name ?? ""}
        save={set}
        options={names}
        locked={locked || !mayEdit}
        placeholder="paid bookings"
        note={primary && (primary.good_direction === "up" ? "should rise" : "should fall")}
        error={error}
      />
      {error && tried && <MakeNew name={tried} make={() => set(tried, true)} />}
    </>
  );
}
