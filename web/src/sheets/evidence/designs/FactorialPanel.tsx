import type { Factorial, Reading } from "../../../api/client";
import { InteractionPicture, type InteractionLine } from "../../../charts/InteractionPicture";
import { copiedLift, stripColumn } from "../../../charts/stripColumn";
import { niceRange, niceTicks } from "../../../lib/axis";
import { bounds, pvalue, rate, rateDecimals } from "../../../lib/format";
import { useWidth } from "../../../lib/useWidth";
import { variantColour } from "../../../lib/variants";
import { DataTable, type Column } from "../../../parts/DataTable";
import { Letter } from "../../../parts/Letter";
import { Panel } from "../../../parts/basics";
import { Term } from "../../../parts/Term";
import { Figured } from "../DerivationCard";

interface Props {
  summary: Factorial;
  reading: Reading;
  experiment: string;
}

type Effect = Factorial["effects"][number];

const WIDE = 220;

/** What each factor does, whether they change each other's effect, and which levels to take. */
export function FactorialPanel({ summary, reading, experiment }: Props) {
  const [box, width] = useWidth(640);
  // All of it: an interaction is no outlier.
  const domain = niceRange([
    -1.4 * reading.worthwhile_lift,
    1.4 * reading.worthwhile_lift,
    ...summary.effects.flatMap(({ effect }) => [effect.low, effect.high]).filter((end) => end !== null),
  ]);
  const axis = { domain, ticks: niceTicks(domain, 5) };
  const [first, second] = summary.factors;
  return (
    <Panel
      title="Factors"
      note={
        summary.on_logs
          ? "each averaged over the others; all effects are one family"
          : "differences, because a level is not above 0; all effects are one family"
      }
    >
      <ul className="mb-3 font-serif text-lg leading-snug" aria-label="Which levels to take">
        {(reading.readable ? summary.words : ["Which levels to take is said once the rule may be read."]).map(
          (sentence) => (
            <li key={sentence}>{sentence}</li>
          ),
        )}
      </ul>
      <div ref={box}>
        <DataTable
          label="Main effects and interactions"
          rows={summary.effects}
          rowKey={(one) => one.name}
          columns={columnsOf(experiment, [
            stripColumn(axis, width >= 560 ? WIDE : 100, (one: Effect) => ({
              lift: one.effect,
              tone: one.tone as "ahead",
              worthwhile: reading.worthwhile_lift,
              sentence: `${one.name}: ${one.effect.estimate_text}, ${bounds(one.effect)}`,
            })),
          ])}
        />
      </div>
      {first && second && (
        <div className="mt-4 grid grid-cols-2 gap-4 max-lg:grid-cols-1">
          <div>
            <h3 className="mb-1 font-sans text-sm font-semibold">
              {first.name} by {second.name}
            </h3>
            <InteractionPicture
              lines={linesOf(summary, reading)}
              label={`Levels of ${reading.metric} by ${first.name} and ${second.name}`}
              format={(value) => (reading.kind === "rate" ? rate(value, 1) : value.toLocaleString())}
            />
            <ul className="flex flex-wrap gap-4 text-sm">
              {second.levels.map((level, place) => (
                <li key={level} className="flex items-center gap-1.5">
                  <span aria-hidden className="inline-block h-0.5 w-5" style={{ background: variantColour(place) }} />
                  {second.name}: {level}
                </li>
              ))}
            </ul>
            <p className="quiet mt-1 text-sm">
              Lines that run alike: neither changes what the other does.
              {summary.factors.length > 2 && ` With ${summary.factors[2]?.name}: ${summary.factors[2]?.levels[0]}.`}
            </p>
          </div>
          <Cells summary={summary} reading={reading} />
        </div>
      )}
      <p className="quiet mt-2 text-sm">{reading.design_words}</p>
    </Panel>
  );
}

function columnsOf(experiment: string, strip: Column<Effect>[]): Column<Effect>[] {
  return [
    {
      name: "Effect",
      align: "left",
      hideable: false,
      value: (one) => one.name,
      copied: [["effect", (one) => one.name]],
      cell: (one) => (
        <span>
          <span className="font-semibold">{one.name}</span>
          {one.factors.length > 1 && (
            <span className="quiet ml-2 text-sm">
              <Term name="Interaction" />
            </span>
          )}
        </span>
      ),
    },
    ...strip,
    {
      name: "Size",
      className: "whitespace-nowrap",
      value: (one) => one.effect.estimate,
      copied: copiedLift((one) => one.effect),
      cell: (one) => (
        <>
          <Figured experiment={experiment} figure="effects" variant="B" label={`Effect of ${one.name}`}>
            <span className="font-semibold">{one.effect.estimate_text}</span>
          </Figured>
          <span className="quiet block text-xs">{bounds(one.effect)}</span>
        </>
      ),
    },
    {
      name: "adjusted p",
      term: "Adjusted p",
      value: (one) => one.adjusted_pvalue,
      copied: [["adjusted_p", (one) => one.adjusted_pvalue]],
      cell: (one) => pvalue(one.adjusted_pvalue),
    },
  ];
}

/** The second factor's levels as lines over the first's; further factors at their base. */
function linesOf(summary: Factorial, reading: Reading): InteractionLine[] {
  const [first, second] = summary.factors;
  if (!first || !second) return [];
  return second.levels.map((name, place) => ({
    name,
    colour: variantColour(place),
    points: first.levels.flatMap((level, at) => {
      const cell = summary.combinations.findIndex(
        (of) => of[0] === at && of[1] === place && of.slice(2).every((other) => other === 0),
      );
      const arm = reading.arms[cell];
      return arm ? [{ name: level, level: arm.rate }] : [];
    }),
  }));
}

/** The level of every combination, the first factor down and the second across. */
function Cells({ summary, reading }: Omit<Props, "experiment">) {
  const [first, second, third] = summary.factors;
  const decimals = rateDecimals(reading.arms.map((arm) => arm.rate.estimate));
  const written = (value: number | null) =>
    reading.kind === "rate" ? rate(value, decimals) : (value?.toLocaleString() ?? "–");
  if (!first || !second) return null;
  return (
    <div className="grid content-start gap-3">
      {(third?.levels ?? [""]).map((other, depth) => (
        <table key={other} className="table table-sm">
          <caption className="mb-1 text-left font-sans text-sm font-semibold">
            {third ? `${third.name}: ${other}` : "Every combination"}
          </caption>
          <thead>
            <tr>
              <th>{first.name}</th>
              {second.levels.map((level) => (
                <th key={level} className="text-right">
                  {second.name}: {level}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {first.levels.map((level, row) => (
              <tr key={level}>
                <th scope="row" className="font-normal">
                  {level}
                </th>
                {second.levels.map((name, column) => {
                  const at = summary.combinations.findIndex(
                    (of) => of[0] === row && of[1] === column && (of[2] ?? 0) === depth,
                  );
                  const arm = reading.arms[at];
                  const taken =
                    reading.readable && summary.combinations[at]?.every((one, place) => one === summary.choice[place]);
                  return (
                    <td key={name} className={`text-right ${taken ? "font-semibold" : ""}`}>
                      <span className="inline-flex items-center gap-1.5">
                        {arm && <Letter letter={arm.letter} />}
                        {written(arm?.rate.estimate ?? null)}
                      </span>
                      {taken && <span className="quiet block text-xs font-normal">to take</span>}
                    </td>
                  );
                })}
              </tr>
            ))}
          </tbody>
        </table>
      ))}
    </div>
  );
}
