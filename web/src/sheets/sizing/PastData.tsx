import { useState } from "react";
import { useMutation } from "@tanstack/react-query";
import { Link } from "react-router";
import { readPastFile, type Past } from "../../api/client";
import { usePast } from "../../api/hooks";
import { kindNamed } from "../../api/vocabulary";
import { count } from "../../lib/format";
import { FormError } from "../../parts/basics";
import { FilePicker } from "../../parts/FilePicker";
import { useEditing } from "../editing";

/** Level, standard deviation and traffic taken from decided experiments with the same metric, or from a file. */
export function PastData() {
  const { experiment, save } = useEditing();
  const [open, setOpen] = useState(false);
  const past = usePast(experiment.key, experiment.metric);
  const primary = experiment.metrics.find((use) => use.role === "primary");
  const read = useMutation({ mutationFn: (file: File) => readPastFile(file, primary?.kind ?? "conversion") });
  const take = (line: Past) => {
    const day = line.units_per_day;
    save({
      baseline: Number(line.baseline.toPrecision(6)),
      ...(line.standard_deviation != null && !primary?.is_rate
        ? { standard_deviation: Number(line.standard_deviation.toPrecision(6)) }
        : {}),
      ...(day ? { audience_per_day: Math.max(1, Math.round(day)) } : {}),
    });
    setOpen(false);
  };
  const items = [...(read.data ? [read.data] : []), ...(past.data?.items ?? [])];
  return (
    <div className="border-b border-base-300 py-1.5 text-sm">
      <button className="link" aria-expanded={open} onClick={() => setOpen(!open)}>
        Take these from past data
        {past.data?.items.length ? ` (${past.data.items.length} decided with this metric)` : ""}
      </button>
      {past.data?.standing && <p className="quiet">{past.data.standing}</p>}
      {open && (
        <div className="mt-1">
          <ul>
            {items.map((line) => (
              <li key={line.key || line.source} className="flex items-center gap-2 py-0.5">
                <span className="min-w-0 grow">
                  {line.key ? (
                    <Link className="link" to={`/experiments/${line.key}/evidence`}>
                      {line.source}
                    </Link>
                  ) : (
                    line.source
                  )}
                  : {line.sentence}
                  {line.units_per_day ? `, ${count(line.units_per_day)} a day` : ""}
                  {line.cap_99 != null ? `; a cap at ${line.cap_99.toPrecision(4)} would touch 1 unit in 100` : ""}
                </span>
                <button className="btn btn-xs" onClick={() => take(line)}>
                  Take
                </button>
              </li>
            ))}
          </ul>
          <p className="quiet mt-1">
            {primary && kindNamed(primary.kind).parts.includes("totals")
              ? "A CSV: day, units, numerator and denominator (a line a day, seven or more)"
              : "A CSV: units and conversions (a line a day), or value (a line a unit, with its denominator for a ratio)"}
          </p>
          <FilePicker
            label="File of past data"
            button="Choose a file"
            accept=".csv,.tsv,.txt,text/csv"
            busy={read.isPending}
            pick={(file) => read.mutate(file)}
          />
          <FormError error={read.error} />
        </div>
      )}
    </div>
  );
}
