import { Link } from "react-router";
import type { SegmentEvidence } from "../../api/client";
import { useSegmentEvidence } from "../../api/hooks";
import { copiedLift, stripColumn } from "../../charts/stripColumn";
import { sharedAxis } from "../../lib/axis";
import { bounds, count, rate } from "../../lib/format";
import { figuresOf } from "../../lib/metrics";
import { useWidth } from "../../lib/useWidth";
import { useAddressParams } from "../../lib/useAddressParams";
import { Failure, Panel, Skeleton } from "../../parts/basics";
import { DataTable, type Column } from "../../parts/DataTable";
import { Term } from "../../parts/Term";
import { useEditing } from "../editing";
import { Breakdowns } from "./Breakdowns";
import { SegmentSets } from "./SegmentSets";
import { Figured } from "./DerivationCard";
import { LiftFigure } from "./LiftFigure";

const WIDE = 170;
const NARROW = 100;
const NEEDS = 640;

/** A variant's lift in each segment of a property, on one axis; of the one spoken of first, and always exploratory. */
export function Segments({ spoken }: { spoken: string }) {
  const { experiment } = useEditing();
  const [params, change] = useAddressParams();
  const asked = {
    by: params.get("by") ?? "",
    metric: params.get("metric") ?? "",
    variant: params.get("segment-variant") ?? (spoken === "A" ? "" : spoken),
    ...(params.get("set") ? { set: Number(params.get("set")) } : {}),
  };
  const query = useSegmentEvidence(experiment.key, asked);
  if (query.isPending) return <Skeleton rows={3} />;
  if (query.isError) return <Failure error={query.error} again={() => void query.refetch()} />;
  const { data } = query;
  const choose = (name: string, value: string) => change({ [name]: value, ...(name === "by" ? { set: "" } : {}) });
  if (data.choices.length === 0)
    return (
      <Panel fold="segments" title="Segments" line="nobody came with a property">
        <p className="quiet text-sm">
          Nobody came with a property that evidence is broken down by. Choose others here, or for all experiments under{" "}
          <Link className="link" to="/connections">
            Connections
          </Link>
          .
        </p>
        <Breakdowns />
      </Panel>
    );
  return (
    <Panel
      fold="segments"
      title="Segments"
      note="exploratory: the rule reads everybody"
      line={data.sentence ? <span className={data.reversal ? "tone-unsound" : ""}>{data.sentence}</span> : undefined}
    >
      <div className="mb-2 flex flex-wrap items-center gap-2 text-sm">
        <Choice label="Segments by" value={data.by} values={data.choices} set={(value) => choose("by", value)} />
        {experiment.metrics.length > 1 && (
          <Choice
            label="Metric of the segments"
            value={data.metric}
            values={experiment.metrics.map((use) => use.key)}
            names={experiment.metrics.map((use) => use.name)}
            set={(value) => choose("metric", value)}
          />
        )}
        {experiment.variants.length > 2 && (
          <Choice
            label="Variant of the segments"
            value={data.variant}
            values={experiment.variants.slice(1).map((variant) => variant.letter)}
            set={(value) => choose("segment-variant", value)}
          />
        )}
        <SegmentSets data={data} chosen={params.get("set") ?? ""} choose={(set) => choose("set", set)} />
      </div>
      {data.sentence && (
        <p className={`mb-2 ${data.reversal ? "tone-unsound font-semibold" : ""}`} role="status">
          {data.reversal ? "✕ " : ""}
          {data.sentence}
        </p>
      )}
      {data.segments.length > 0 && (
        <Lines
          data={data}
          worthwhile={experiment.worthwhile_lift}
          experiment={experiment.key}
          set={asked.set === undefined ? {} : { set: asked.set }}
        />
      )}
      {data.left_out > 0 && <p className="quiet mt-1 text-sm">and {count(data.left_out)} smaller ones</p>}
      <Breakdowns />
    </Panel>
  );
}

interface ChoiceProps {
  label: string;
  value: string;
  values: string[];
  names?: string[];
  set: (value: string) => void;
}

function Choice({ label, value, values, names = values, set }: ChoiceProps) {
  return (
    <select className="select select-xs w-auto" aria-label={label} value={value} onChange={(e) => set(e.target.value)}>
      {values.map((each, index) => (
        <option key={each} value={each}>
          {names[index]}
        </option>
      ))}
    </select>
  );
}

function nameOf(segment: string): string {
  return segment
    .split(" & ")
    .map((part) => part.slice(part.indexOf("=") + 1))
    .join(" & ");
}

interface LinesProps {
  data: SegmentEvidence;
  worthwhile: number;
  experiment: string;
  /** The saved set that is shown, if one is. */
  set: { set?: number };
}

type Segment = SegmentEvidence["segments"][number];
interface Total {
  name: string;
  lift: NonNullable<SegmentEvidence["within"]>;
  figure: "within" | "crude";
}
type Line = Segment | Total;

function isTotal(line: Line): line is Total {
  return "figure" in line;
}

/** All segments together, adjusted for their mix and as counted; nothing where there is one only. */
function totalsOf(data: SegmentEvidence): Total[] {
  if (data.segments.length < 2) return [];
  return [
    ...(data.within ? [{ name: "Stratified estimate", lift: data.within, figure: "within" as const }] : []),
    ...(data.crude ? [{ name: "Unadjusted total", lift: data.crude, figure: "crude" as const }] : []),
  ];
}

function Lines(props: LinesProps) {
  const { data } = props;
  const [holder, width] = useWidth(NEEDS);
  return (
    <div ref={holder} className="text-sm">
      <DataTable
        label="Segments, in figures"
        rows={data.segments}
        totals={totalsOf(data)}
        rowKey={(line) => line.name}
        columns={columnsOf(props, width < NEEDS ? NARROW : WIDE)}
      />
      <p className="quiet mt-1 text-xs">
        Partially pooled: drawn towards the mean of all segments by as much as chance spreads them; the better guess for
        a small one. I²: how much of the variation between segments is beyond chance. Per month: what a rollout to this
        segment only would bring
        {data.effect_per_month_of_all?.estimate != null &&
          `, where a rollout to all brings ${effectText(data.effect_per_month_of_all)}`}
        .
      </p>
    </div>
  );
}

function columnsOf({ data, worthwhile, experiment, set }: LinesProps, strip: number): Column<Line>[] {
  const lifts = [
    ...data.segments.flatMap((line) => (line.lift && !line.small ? [line.lift] : [])),
    ...totalsOf(data).map((line) => line.lift),
  ];
  const of = { experiment, variant: data.variant, metric: data.metric };
  return [
    {
      name: data.by,
      align: "left",
      hideable: false,
      value: (line) => (isTotal(line) ? line.name.toLowerCase() : nameOf(line.name)),
      cell: (line) =>
        isTotal(line) ? (
          line.figure === "within" ? (
            <Term name="Stratified estimate" />
          ) : (
            line.name
          )
        ) : (
          <>
            <span className="font-semibold">{nameOf(line.name)}</span>
            {line.small && <span className="quiet"> too small to read</span>}
          </>
        ),
    },
    ...["A", data.variant].map((letter, arm) => levelColumn(letter, arm, data, of)),
    stripColumn(sharedAxis(lifts, worthwhile, 3), strip, (line) =>
      line.lift
        ? {
            lift: line.lift,
            tone: isTotal(line) ? "open" : line.tone,
            worthwhile,
            sentence: `${nameOf(line.name)}: ${line.lift.estimate_text} (${bounds(line.lift)})`,
          }
        : null,
    ),
    {
      name: "Lift",
      className: "whitespace-nowrap",
      value: (line) => line.lift?.estimate,
      copied: [...copiedLift<Line>((line) => line.lift), ["p", (line) => (isTotal(line) ? undefined : line.pvalue)]],
      cell: (line) =>
        isTotal(line) ? (
          <LiftFigure {...of} {...set} lift={line.lift} figure={line.figure} by={data.by} label={line.name} />
        ) : (
          <LiftFigure
            {...of}
            lift={line.lift}
            figure="lift"
            segment={line.name}
            label={`Lift of ${data.variant} for ${nameOf(line.name)}`}
          />
        ),
    },
    {
      name: "Partially pooled",
      term: "Partially pooled",
      value: (line) => (isTotal(line) ? undefined : line.partially_pooled?.estimate),
      copied: (["estimate", "low", "high"] as const).map(
        (part) =>
          [
            part === "estimate" ? "partially_pooled" : `partially_pooled_${part}`,
            (line: Line) => (isTotal(line) ? undefined : line.partially_pooled?.[part]),
          ] as const,
      ),
      cell: (line) => {
        if (isTotal(line))
          return (
            line.figure === "within" &&
            data.segments.some((one) => one.partially_pooled) && (
              <Figured {...of} {...set} figure="differ" by={data.by} label="Difference between segments">
                I² {rate(data.i_squared, 0)}
              </Figured>
            )
          );
        return (
          <LiftFigure
            {...of}
            {...set}
            lift={line.partially_pooled}
            figure="partially_pooled"
            segment={line.name}
            label={`Partially pooled lift for ${nameOf(line.name)}`}
          />
        );
      },
    },
    {
      name: "If rolled out to this segment only, per month",
      head: <span className="inline-block max-w-28">If rolled out to this segment only, per month</span>,
      className: "whitespace-nowrap",
      value: (line) => (isTotal(line) ? undefined : line.effect_per_month?.estimate),
      cell: (line) =>
        !isTotal(line) && (
          <>
            {line.effect_per_month ? (
              <Figured
                {...of}
                figure="impact"
                segment={line.name}
                label={`Effect per month of a rollout to ${nameOf(line.name)} only`}
              >
                {effectText(line.effect_per_month)}
              </Figured>
            ) : (
              "–"
            )}
            <span className="quiet block text-xs">{Math.round(line.share * 100)}% of the units</span>
          </>
        ),
    },
  ];
}

function levelColumn(
  letter: string,
  arm: number,
  data: SegmentEvidence,
  of: { experiment: string; metric: string },
): Column<Line> {
  const figures = figuresOf(
    data,
    data.segments.flatMap((line) => line.levels),
  );
  return {
    name: letter,
    className: "whitespace-nowrap",
    value: (line) => (isTotal(line) ? undefined : line.levels[arm]),
    copied: [
      [`units ${letter}`, (line) => (isTotal(line) ? undefined : line.units[arm])],
      [letter, (line) => (isTotal(line) ? undefined : line.levels[arm])],
    ],
    cell: (line) =>
      !isTotal(line) && (
        <>
          <Figured
            {...of}
            figure="level"
            variant={letter}
            segment={line.name}
            label={`Level of ${letter} for ${nameOf(line.name)}`}
          >
            {figures.level(line.levels[arm] ?? null)}
          </Figured>
          <span className="quiet block text-xs">of {count(line.units[arm] ?? 0)}</span>
        </>
      ),
  };
}

function effectText(value: SegmentEvidence["effect_per_month_of_all"]): string {
  if (value?.estimate == null) return "–";
  const size = count(Number(Math.abs(value.estimate).toPrecision(2)));
  return `${value.estimate > 0 ? "+" : value.estimate < 0 ? "−" : ""}${size}`;
}
