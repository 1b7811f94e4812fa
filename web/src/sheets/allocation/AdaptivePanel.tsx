import type { Adaptive, Reading } from "../../api/client";
import { bounds, rate, signed } from "../../lib/format";
import { variantColour } from "../../lib/variants";
import { CopyTable } from "../../parts/CopyTable";
import { Letter } from "../../parts/Letter";
import { Panel } from "../../parts/basics";
import { Figured } from "../evidence/Working";

interface Props {
  adaptive: Adaptive;
  reading: Reading;
  experiment: string;
}

/** What stands beside a reading by epoch: chances to be best, value remaining, the gain, and the figures with all epochs pooled. */
export function AdaptivePanel({ adaptive, reading, experiment }: Props) {
  const worthwhile = reading.worthwhile_lift;
  const left = adaptive.remaining;
  const lines = reading.arms.map((arm, place) => {
    const fair = reading.comparisons.find((line) => line.letter === arm.letter);
    const pooled = adaptive.pooled.find((line) => line.letter === arm.letter);
    return { arm, chance: adaptive.chances[place] ?? 0, fair, pooled };
  });
  const text = [
    ["variant", "chance to be best", "lift by epoch", "lift, all epochs pooled"],
    ...lines.map(({ arm, chance, fair, pooled }) => [
      arm.letter,
      chance,
      fair ? fair.lift.estimate_text : "",
      pooled ? pooled.lift.estimate_text : "",
    ]),
  ]
    .map((line) => line.join("\t"))
    .join("\n");
  return (
    <Panel title="Shares followed the evidence" action={<CopyTable text={text} />}>
      <p className="mb-2 font-serif text-lg leading-snug">
        <Figured experiment={experiment} figure="gain" variant="B" label="Gain over an even split">
          {adaptive.sentence}
        </Figured>
      </p>
      <div>
        <div className="overflow-x-auto">
          <table className="table table-sm w-full">
            <thead>
              <tr>
                <th>Variant</th>
                <th>Chance to be best</th>
                <th className="text-right">Lift, by epoch</th>
                <th className="text-right">Lift, all pooled</th>
              </tr>
            </thead>
            <tbody>
              {lines.map(({ arm, chance, fair, pooled }, place) => (
                <tr key={arm.letter}>
                  <td>
                    <Letter letter={arm.letter} />
                  </td>
                  <td>
                    <span className="flex items-center gap-2">
                      <span className="w-12 text-right">
                        <Figured
                          experiment={experiment}
                          figure="chance"
                          variant={arm.letter}
                          label={`Chance of ${arm.letter} to be best`}
                        >
                          {chanceText(chance)}
                        </Figured>
                      </span>
                      <span className="h-2.5 grow bg-base-200" aria-hidden>
                        <span
                          className="block h-full"
                          style={{ width: `${chance * 100}%`, background: variantColour(place) }}
                        />
                      </span>
                    </span>
                  </td>
                  <td className="text-right whitespace-nowrap">
                    {fair ? (
                      <>
                        <Figured
                          experiment={experiment}
                          figure="lift"
                          variant={arm.letter}
                          label={`Lift of ${arm.letter} by epoch`}
                        >
                          <span className="font-semibold">{fair.lift.estimate_text}</span>
                        </Figured>
                        <span className="quiet block text-xs">{bounds(fair.lift)}</span>
                      </>
                    ) : (
                      <span className="quiet">baseline</span>
                    )}
                  </td>
                  <td className="quiet text-right whitespace-nowrap">
                    {pooled ? (
                      <>
                        <Figured
                          experiment={experiment}
                          figure="pooled"
                          variant={arm.letter}
                          label={`Lift of ${arm.letter}, all epochs put together`}
                        >
                          {pooled.lift.estimate_text}
                        </Figured>
                        <span className="block text-xs">{bounds(pooled.lift)}</span>
                      </>
                    ) : (
                      "baseline"
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
        <div className="mt-2 flex flex-wrap items-center gap-x-5">
          <div>
            <div className="quiet text-sm">Possible gain remaining</div>
            <div className="font-serif text-2xl">
              <Figured experiment={experiment} figure="remaining" variant="B" label="Possible gain remaining">
                {left === null ? "not limited yet" : signed(left).replace("+", "")}
              </Figured>
            </div>
            <ValueBar remaining={left} worthwhile={worthwhile} />
          </div>
          <p className="quiet min-w-0 flex-1 basis-72 text-sm">
            With {rate(reading.confidence, 0)} certainty no other variant is better than {adaptive.leader}, which leads,
            by more than this. Worth acting on: {signed(worthwhile).replace("+", "")}.
          </p>
        </div>
      </div>
      {adaptive.remarks.map((remark) => (
        <p key={remark} className="tone-warning mt-2 text-sm">
          {remark}
        </p>
      ))}
      <p className="quiet mt-2 text-sm">{adaptive.explained}</p>
    </Panel>
  );
}

/** Never rounded to certainty. */
function chanceText(chance: number): string {
  if (chance > 0 && chance < 0.005) return "< 1%";
  if (chance < 1 && chance > 0.995) return "> 99%";
  return rate(chance, 0);
}

const BAR = 220;

function ValueBar({ remaining, worthwhile }: { remaining: number | null; worthwhile: number }) {
  const most = Math.max(2 * worthwhile, Math.min(remaining ?? 4 * worthwhile, 4 * worthwhile));
  const x = (value: number) => (Math.min(value, most) / most) * BAR;
  const enough = remaining !== null && remaining < worthwhile;
  return (
    <svg
      width={BAR}
      height={22}
      role="img"
      aria-label={`Possible gain remaining is ${enough ? "under" : "not yet under"} the worthwhile lift`}
      className="my-1 block max-w-full"
    >
      <rect width={BAR} height={12} y={5} fill="var(--color-base-200)" />
      <rect
        width={x(remaining ?? most)}
        height={12}
        y={5}
        fill={enough ? "var(--ahead)" : "var(--open)"}
        fillOpacity={0.7}
      />
      <line x1={x(worthwhile)} x2={x(worthwhile)} y1={0} y2={22} stroke="var(--color-base-content)" strokeWidth={2} />
    </svg>
  );
}
