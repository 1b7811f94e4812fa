import type { Evidence } from "../../api/client";
import { LETTERS } from "../../api/vocabulary";
import { useCohorts, useSelectedRange } from "../../api/outcome";
import { useNotes } from "../../api/running";
import { DailyLines, LiftOverTime } from "../../charts/onDemand";
import { IntervalStrip, StripAxis } from "../../charts/IntervalStrip";
import { copiedLift, stripColumn } from "../../charts/stripColumn";
import { sharedAxis } from "../../lib/axis";
import { bounds, count, day, percentText, rate } from "../../lib/format";
import { figuresOf } from "../../lib/metrics";
import { useWidth } from "../../lib/useWidth";
import { variantColour } from "../../lib/variants";
import { useAddressParams } from "../../lib/useAddressParams";
import { errorOf, Failure, Panel, Skeleton } from "../../parts/basics";
import { DataTable } from "../../parts/DataTable";
import { Letter } from "../../parts/Letter";
import { useEditing } from "../editing";
import { Figured } from "./DerivationCard";
import { LiftFigure } from "./LiftFigure";
import { DayField } from "../../parts/fields";

/** The lift as data came in, the daily figures, the lift by day of first exposure, and a selected date range. */
export function OverTime({ evidence }: { evidence: Evidence }) {
  const [params, change] = useAddressParams();
  const { experiment } = useEditing();
  const notes = useNotes(experiment.key);
  const { reading, series, daily } = evidence;
  const chosen = series.find((line) => line.letter === (params.get("variant") ?? reading.variant)) ?? series[0];
  const levels = reading.arms.map((_, arm) => daily.levels.map((row) => row[arm] ?? null));
  const figures = figuresOf(reading, levels.flat());
  const show = (letter: string) => change({ variant: letter });
  return (
    <>
      <div className="grid grid-cols-2 gap-3 max-xl:grid-cols-1">
        {chosen && (
          <Panel
            title="Lift as data came in"
            note={series.length > 1 ? undefined : `${percentText(reading.interval_confidence)}% interval each day`}
            action={
              series.length > 1 ? (
                <span className="flex gap-1">
                  {series.map((line) => (
                    <button
                      key={line.letter}
                      aria-pressed={line === chosen}
                      aria-label={`Show ${line.letter}`}
                      className={`rounded p-0.5 ${line === chosen ? "bg-base-300" : ""}`}
                      onClick={() => show(line.letter)}
                    >
                      <Letter letter={line.letter} />
                    </button>
                  ))}
                </span>
              ) : undefined
            }
          >
            {reading.scale === "difference" ? (
              <p className="py-4">Control’s level is not clear of zero, so there is no lift to draw.</p>
            ) : (
              <LiftOverTime
                days={daily.days}
                series={chosen}
                worthwhile={reading.worthwhile_lift}
                colour={variantColour(LETTERS.indexOf(chosen.letter))}
                notes={notes.data}
              />
            )}
            <p className="quiet mt-1 text-xs">
              The rule reads the last day only; the days before are history, not looks.
            </p>
          </Panel>
        )}
        <Panel title={`${figures.levelHead} by day`} note="dashed: control">
          <DailyLines
            days={daily.days}
            values={levels}
            format={(value) => (reading.kind === "rate" ? rate(value, 1) : figures.level(value))}
            label="Conversion rate of each variant by day"
            notes={notes.data}
          />
          <p className="quiet mt-1 text-xs">One day alone says little; look for gaps and jumps.</p>
        </Panel>
      </div>
      {chosen && (
        <div className="grid grid-cols-2 items-start gap-3 max-xl:grid-cols-1">
          <Cohorts letter={chosen.letter} worthwhile={reading.worthwhile_lift} />
          <SelectedRange days={daily.days} worthwhile={reading.worthwhile_lift} />
        </div>
      )}
    </>
  );
}

const STRIP = 130;
type Cohort = NonNullable<ReturnType<typeof useCohorts>["data"]>["cohorts"][number];

function Cohorts({ letter, worthwhile }: { letter: string; worthwhile: number }) {
  const { experiment } = useEditing();
  const query = useCohorts(experiment.key, { metric: "", variant: letter, days_a_group: 7 });
  if (query.isPending) return <Skeleton rows={3} />;
  if (query.isError) return <Failure error={query.error} again={() => void query.refetch()} />;
  const { cohorts, sentence, variant } = query.data;
  const axis = sharedAxis(
    cohorts.map((cohort) => cohort.lift),
    worthwhile,
    3,
  );
  return (
    <Panel fold="by-week" title="By week of first exposure" note="does it fade?" line={sentence}>
      <DataTable
        label="Lift by week of first exposure"
        rows={cohorts}
        rowKey={(cohort) => cohort.first}
        columns={[
          {
            name: "First seen from",
            align: "left",
            hideable: false,
            className: "whitespace-nowrap",
            value: (cohort) => cohort.first,
            copied: [
              ["first", (cohort) => cohort.first],
              ["last", (cohort) => cohort.last],
              ["units A", (cohort) => cohort.units[0]],
              [`units ${variant}`, (cohort) => cohort.units[1]],
            ],
            cell: (cohort) => (
              <>
                {day(cohort.first)}
                <span className="quiet block text-xs">{count(cohort.units.reduce((a, b) => a + b, 0))} units</span>
              </>
            ),
          },
          stripColumn(axis, STRIP, (cohort: Cohort) =>
            cohort.lift
              ? {
                  lift: cohort.lift,
                  tone: cohort.tone,
                  worthwhile,
                  sentence: `First seen from ${day(cohort.first)}: ${cohort.lift.estimate_text} (${bounds(cohort.lift)})`,
                }
              : null,
          ),
          {
            name: `Lift of ${variant}`,
            className: "whitespace-nowrap",
            value: (cohort) => cohort.lift?.estimate,
            copied: copiedLift((cohort: Cohort) => cohort.lift),
            cell: (cohort) => (
              <LiftFigure
                experiment={experiment.key}
                lift={cohort.lift}
                figure="lift"
                variant={variant}
                first={cohort.first}
                last={cohort.last}
                label={`Lift of ${variant}, first seen from ${day(cohort.first)}`}
                missing="too little"
              />
            ),
          },
        ]}
      />
      <p className="mt-1 text-sm" role="status">
        {query.data.pvalue === null ? (
          sentence
        ) : (
          <Figured experiment={experiment.key} figure="trend" variant={variant} label="Change from week to week">
            {sentence}
          </Figured>
        )}
      </p>
    </Panel>
  );
}

function SelectedRange({ days, worthwhile }: { days: string[]; worthwhile: number }) {
  const { experiment } = useEditing();
  const [params, change] = useAddressParams();
  const [holder, width] = useWidth(300);
  const first = params.get("from") ?? "";
  const last = params.get("to") ?? "";
  const query = useSelectedRange(experiment.key, first, last);
  const strip = Math.max(width - 130, 120);
  const axis = sharedAxis(query.data?.comparisons.map((line) => line.lift) ?? [], worthwhile, 3);
  return (
    <Panel fold="range" title="Selected date range" note="exploratory" line={first ? undefined : "all days"}>
      <div className="flex flex-wrap items-end gap-2 text-sm">
        {(["from", "to"] as const).map((name) => (
          <DayField
            key={name}
            label={name}
            first={days[0]}
            last={days.at(-1)}
            value={params.get(name) ?? ""}
            save={(day) => change({ [name]: day })}
          />
        ))}
        {(first || last) && (
          <button className="btn btn-sm" onClick={() => change({ from: "", to: "" })}>
            Clear the selection
          </button>
        )}
      </div>
      {!(first && last) && (
        <p className="quiet mt-2 text-sm">Select two days to read the data between them. No verdict follows from it.</p>
      )}
      {query.isError && (
        <p role="alert" className="mt-2 text-sm text-error">
          {errorOf(query.error, "last") ?? query.error.message}
        </p>
      )}
      {first && last && query.data && (
        <div ref={holder} className="mt-2">
          <p className="tone-warning text-sm">{query.data.sentence}</p>
          {query.data.comparisons.length > 0 && (
            <div className="pl-7">
              <StripAxis axis={axis} width={strip} />
            </div>
          )}
          {query.data.comparisons.map((line) => (
            <div key={line.letter} className="flex items-center gap-2 text-sm">
              <Letter letter={line.letter} />
              <IntervalStrip
                lift={line.lift}
                tone={line.tone}
                worthwhile={worthwhile}
                axis={axis}
                width={strip}
                sentence={`${line.letter} on these days: ${line.lift.estimate_text} (${bounds(line.lift)})`}
              />
              <span className="whitespace-nowrap">
                <Figured
                  experiment={experiment.key}
                  figure="lift"
                  variant={line.letter}
                  first={first}
                  last={last}
                  together
                  label={`Lift of ${line.letter} on these days`}
                >
                  {line.lift.estimate_text}
                </Figured>
                <span className="quiet block text-xs">{bounds(line.lift)}</span>
              </span>
            </div>
          ))}
        </div>
      )}
    </Panel>
  );
}
