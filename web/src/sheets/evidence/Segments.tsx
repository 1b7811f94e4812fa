import { Link, useSearchParams } from "react-router";
import type { SegmentEvidence } from "../../api/client";
import { useSegmentEvidence } from "../../api/hooks";
import { IntervalStrip, StripAxis } from "../../charts/IntervalStrip";
import { sharedAxis } from "../../lib/axis";
import { bounds, count, rate, signed } from "../../lib/format";
import { figuresOf } from "../../lib/metrics";
import { tableText } from "../../lib/tableText";
import { useWidth } from "../../lib/useWidth";
import { Failure, Panel, Skeleton } from "../../parts/basics";
import { CopyTable } from "../../parts/CopyTable";
import { useEditing } from "../editing";
import { SegmentSets } from "./SegmentSets";
import { Figured } from "./Working";

const WIDE = 170;
const NARROW = 100;
const NEEDS = 640;

/** A variant's lift in each segment of a property, on one axis; of the one spoken of first, and always exploratory. */
export function Segments({ spoken }: { spoken: string }) {
  const { experiment } = useEditing();
  const [params, setParams] = useSearchParams();
  const asked = {
    by: params.get("by") ?? "",
    metric: params.get("metric") ?? "",
    variant: params.get("segment-variant") ?? (spoken === "A" ? "" : spoken),
    ...(params.get("set") ? { set: Number(params.get("set")) } : {}),
  };
  const found = useSegmentEvidence(experiment.key, asked);
  if (found.isPending) return <Skeleton rows={3} />;
  if (found.isError) return <Failure error={found.error} again={() => void found.refetch()} />;
  const { data } = found;
  const choose = (name: string, value: string) =>
    setParams(
      (before) => {
        if (value) before.set(name, value);
        else before.delete(name);
        if (name === "by") before.delete("set");
        return before;
      },
      { replace: true },
    );
  if (data.choices.length === 0)
    return (
      <Panel title="Segments">
        <p className="quiet text-sm">
          No properties are kept yet. Choose them under{" "}
          <Link className="link" to="/connections">
            Connections
          </Link>
          ; what has come in is counted anew.
        </p>
      </Panel>
    );
  return (
    <Panel
      title="Segments"
      note="exploratory: the rule reads everybody"
      action={data.segments.length > 0 && <CopyTable text={asText(data)} />}
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

function Lines({ data, worthwhile, experiment, set }: LinesProps) {
  const [holder, width] = useWidth(NEEDS);
  const strip = width < NEEDS ? NARROW : WIDE;
  const together = [
    { name: "Each within itself, put together", lift: data.within, figure: "within" as const },
    { name: "All as they are", lift: data.crude, figure: "crude" as const },
  ].flatMap(({ lift, ...line }) => (lift && data.segments.length > 1 ? [{ ...line, lift }] : []));
  const of = { experiment, variant: data.variant, metric: data.metric };
  const lifts = [
    ...data.segments.flatMap((line) => (line.lift && !line.small ? [line.lift] : [])),
    ...together.map((line) => line.lift),
  ];
  const axis = sharedAxis(lifts, worthwhile, 3);
  const figures = figuresOf(
    data,
    data.segments.flatMap((line) => line.levels),
  );
  return (
    <div ref={holder} className="overflow-x-auto" tabIndex={0} aria-label="Segments, in figures">
      <table className="w-full text-right text-sm">
        <thead className="quiet text-xs">
          <tr className="border-b border-base-300">
            <th className="py-1 text-left font-normal">{data.by}</th>
            <th className="pl-2 font-normal">A</th>
            <th className="pl-2 font-normal">{data.variant}</th>
            <th className="pl-2 font-normal" style={{ width: strip }}>
              <StripAxis axis={axis} width={strip} />
              <span className="sr-only">Lift, drawn</span>
            </th>
            <th className="pl-2 font-normal">Lift</th>
            <th className="pl-2 font-normal">Partially pooled</th>
            <th className="pl-2 font-normal">Alone, a month</th>
          </tr>
        </thead>
        <tbody>
          {data.segments.map((line) => (
            <tr key={line.name} className="border-b border-base-300 last:border-b-0">
              <td className="py-1.5 text-left">
                <span className="font-semibold">{nameOf(line.name)}</span>
                {line.small && <span className="quiet"> too small to tell</span>}
              </td>
              {line.levels.map((level, arm) => (
                <td key={arm} className="pl-2 whitespace-nowrap">
                  <Figured
                    {...of}
                    figure="level"
                    variant={arm ? data.variant : "A"}
                    segment={line.name}
                    label={`Level of ${arm ? data.variant : "A"} for ${nameOf(line.name)}`}
                  >
                    {figures.level(level)}
                  </Figured>
                  <span className="quiet block text-xs">of {count(line.units[arm] ?? 0)}</span>
                </td>
              ))}
              <td className="pl-2">
                {line.lift && (
                  <IntervalStrip
                    lift={line.lift}
                    tone={line.tone}
                    worthwhile={worthwhile}
                    axis={axis}
                    width={strip}
                    sentence={`${nameOf(line.name)}: ${line.lift.estimate_text} (${bounds(line.lift)})`}
                  />
                )}
              </td>
              <td className="pl-2 whitespace-nowrap">
                {line.lift ? (
                  <>
                    <Figured
                      {...of}
                      figure="lift"
                      segment={line.name}
                      label={`Lift of ${data.variant} for ${nameOf(line.name)}`}
                    >
                      {line.lift.estimate_text}
                    </Figured>
                    <span className="quiet block text-xs">{bounds(line.lift)}</span>
                  </>
                ) : (
                  "–"
                )}
              </td>
              <td className="pl-2 whitespace-nowrap">
                {line.partially_pooled ? (
                  <Figured
                    {...of}
                    {...set}
                    figure="partially_pooled"
                    segment={line.name}
                    label={`Partially pooled lift for ${nameOf(line.name)}`}
                  >
                    {signed(line.partially_pooled.estimate)}
                  </Figured>
                ) : (
                  "–"
                )}
              </td>
              <td className="pl-2 whitespace-nowrap">
                {line.effect_per_month ? (
                  <Figured {...of} figure="impact" segment={line.name} label={`Worth of ${nameOf(line.name)} alone`}>
                    {worth(line.effect_per_month)}
                  </Figured>
                ) : (
                  "–"
                )}
                <span className="quiet block text-xs">{Math.round(line.share * 100)}% of the units</span>
              </td>
            </tr>
          ))}
        </tbody>
        {together.length > 0 && (
          <tfoot className="border-t border-neutral">
            {together.map(({ name, lift, figure }) => (
              <tr key={name}>
                <td className="py-1.5 text-left" colSpan={3}>
                  {name}
                </td>
                <td className="pl-2">
                  <IntervalStrip
                    lift={lift}
                    tone="open"
                    worthwhile={worthwhile}
                    axis={axis}
                    width={strip}
                    sentence={`${name}: ${lift.estimate_text} (${bounds(lift)})`}
                  />
                </td>
                <td className="pl-2 whitespace-nowrap">
                  <Figured {...of} {...set} figure={figure} by={data.by} label={name}>
                    {lift.estimate_text}
                  </Figured>
                  <span className="quiet block text-xs">{bounds(lift)}</span>
                </td>
                <td colSpan={2} className="pl-2 whitespace-nowrap">
                  {figure === "within" && data.segments.some((line) => line.partially_pooled) && (
                    <>
                      <Figured {...of} {...set} figure="differ" by={data.by} label="Difference between segments">
                        {rate(data.i_squared, 0)}
                      </Figured>
                      <span className="quiet block text-xs">of the spread beyond chance</span>
                    </>
                  )}
                </td>
              </tr>
            ))}
          </tfoot>
        )}
      </table>
      <p className="quiet mt-1 text-xs">
        Partially pooled: drawn towards the mean of all segments by as much as chance spreads them; the better guess for
        a small one. Alone: what a rollout to this segment only would bring a month
        {data.effect_per_month_of_all?.estimate != null &&
          `, where a rollout to all brings ${worth(data.effect_per_month_of_all)}`}
        .
      </p>
    </div>
  );
}

function worth(value: SegmentEvidence["effect_per_month_of_all"]): string {
  if (value?.estimate == null) return "–";
  const size = count(Number(Math.abs(value.estimate).toPrecision(2)));
  return `${value.estimate > 0 ? "+" : value.estimate < 0 ? "−" : ""}${size}`;
}

function asText(data: SegmentEvidence): string {
  return tableText(
    [data.by, "units A", `units ${data.variant}`, "A", data.variant, "lift", "low", "high", "p", "partially_pooled"],
    [
      ...data.segments.map((line) => [
        nameOf(line.name),
        ...line.units,
        ...line.levels,
        line.lift?.estimate,
        line.lift?.low,
        line.lift?.high,
        line.pvalue,
        line.partially_pooled?.estimate,
      ]),
      ...(
        [
          ["each within itself, put together", data.within],
          ["all as they are", data.crude],
        ] as const
      ).flatMap(([name, lift]) => (lift ? [[name, "", "", "", "", lift.estimate, lift.low, lift.high, "", ""]] : [])),
    ].map((line) => line.map((cell) => cell ?? "")),
  );
}
