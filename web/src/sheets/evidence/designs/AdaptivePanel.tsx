import type { Adaptive, Reading } from "../../../api/client";
import { copiedLift } from "../../../charts/stripColumn";
import { chanceText, rate, signed } from "../../../lib/format";
import { variantColour } from "../../../lib/variants";
import { DataTable, type Column } from "../../../parts/DataTable";
import { Letter } from "../../../parts/Letter";
import { Panel } from "../../../parts/basics";
import { Term } from "../../../parts/Term";
import { Figured } from "../DerivationCard";
import { LiftFigure } from "../LiftFigure";
import { PolicyPart } from "./PolicyPart";

interface Props {
  summary: Adaptive;
  reading: Reading;
  experiment: string;
}

interface Line {
  arm: Reading["arms"][number];
  chance: number;
  fair: Reading["comparisons"][number] | undefined;
  pooled: Adaptive["pooled"][number] | undefined;
}

/** What stands beside a reading by epoch: chances to be best, value remaining, the gain, and the figures with all epochs pooled. */
export function AdaptivePanel({ summary, reading, experiment }: Props) {
  const worthwhile = reading.worthwhile_lift;
  const left = summary.remaining;
  const lines = reading.arms.map((arm, place): Line => {
    const fair = reading.comparisons.find((line) => line.letter === arm.letter);
    const pooled = summary.pooled.find((line) => line.letter === arm.letter);
    return { arm, chance: summary.chances[place] ?? 0, fair, pooled };
  });
  return (
    <Panel title="Shares followed the evidence">
      <p className="mb-2 font-serif text-lg leading-snug">
        <Figured experiment={experiment} figure="gain" variant="B" label="Gain over an even split">
          {summary.sentence}
        </Figured>
      </p>
      <div>
        <DataTable
          label="Variants by epoch and pooled"
          rows={lines}
          rowKey={({ arm }) => arm.letter}
          columns={columnsOf(experiment)}
        />
        <div className="mt-2 flex flex-wrap items-center gap-x-5">
          <div>
            <div className="quiet text-sm">
              <Term name="Possible gain remaining" />
            </div>
            <div className="font-serif text-2xl">
              <Figured experiment={experiment} figure="remaining" variant="B" label="Possible gain remaining">
                {left === null ? "not limited yet" : signed(left).replace("+", "")}
              </Figured>
            </div>
            <ValueBar remaining={left} worthwhile={worthwhile} />
          </div>
          <p className="quiet min-w-0 flex-1 basis-72 text-sm">
            With {rate(reading.confidence, 0)} certainty no other variant is better than {summary.leader}, which leads,
            by more than this. Worth acting on: {signed(worthwhile).replace("+", "")}.
          </p>
        </div>
      </div>
      {summary.remarks.map((remark) => (
        <p key={remark} className="tone-warning mt-2 text-sm">
          {remark}
        </p>
      ))}
      {summary.policy && <PolicyPart policy={summary.policy} reading={reading} experiment={experiment} />}
      <p className="quiet mt-2 text-sm">{reading.design_words}</p>
    </Panel>
  );
}

function columnsOf(experiment: string): Column<Line>[] {
  return [
    {
      name: "Variant",
      align: "left",
      hideable: false,
      value: ({ arm }) => arm.letter,
      cell: ({ arm }) => <Letter letter={arm.letter} />,
    },
    {
      name: "Probability to be best",
      term: "Probability to be best",
      align: "left",
      value: ({ chance }) => chance,
      cell: ({ arm, chance }, place) => (
        <span className="flex items-center gap-2">
          <span className="w-12 text-right">
            <Figured
              experiment={experiment}
              figure="chance"
              variant={arm.letter}
              label={`Probability of ${arm.letter} to be best`}
            >
              {chanceText(chance)}
            </Figured>
          </span>
          <span className="h-2.5 grow bg-base-200" aria-hidden>
            <span className="block h-full" style={{ width: `${chance * 100}%`, background: variantColour(place) }} />
          </span>
        </span>
      ),
    },
    {
      name: "Lift, by epoch",
      className: "whitespace-nowrap",
      value: ({ fair }) => fair?.lift.estimate,
      copied: copiedLift(({ fair }) => fair?.lift),
      cell: ({ arm, fair }) => (
        <LiftFigure
          experiment={experiment}
          lift={fair?.lift}
          figure="lift"
          variant={arm.letter}
          label={`Lift of ${arm.letter} by epoch`}
          missing="baseline"
          strong
        />
      ),
    },
    {
      name: "Lift, pooled over epochs",
      term: "Pooled over epochs",
      className: "quiet whitespace-nowrap",
      value: ({ pooled }) => pooled?.lift.estimate,
      copied: copiedLift(({ pooled }) => pooled?.lift, ["pooled lift", "pooled low", "pooled high"]),
      cell: ({ arm, pooled }) => (
        <LiftFigure
          experiment={experiment}
          lift={pooled?.lift}
          figure="pooled"
          variant={arm.letter}
          label={`Lift of ${arm.letter}, pooled over epochs`}
          missing="baseline"
        />
      ),
    },
  ];
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
