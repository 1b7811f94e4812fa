import { Link } from "react-router";
import type { Rounds } from "../../api/client";
import { copiedLift, stripColumn } from "../../charts/stripColumn";
import { sharedAxis } from "../../lib/axis";
import { bounds, count, day } from "../../lib/format";
import { Panel } from "../../parts/basics";
import { DataTable, type Column } from "../../parts/DataTable";
import { Letter } from "../../parts/Letter";
import { Term } from "../../parts/Term";
import { useEditing } from "../editing";

const STRIP = 170;
const STANDINGS: Record<Rounds["standing"], string> = {
  planned: "planned as one",
  continued: "by what an unfinished plan had left",
  exploratory: "exploratory",
};

type Together = Rounds["together"][number];
interface Line {
  of: Together;
  /** None of the line for all rounds together. */
  round: Together["rounds"][number] | null;
}

/** Every round of an experiment next to the others, and all of them together. */
export function RoundsPanel({ rounds, worthwhile }: { rounds: Rounds; worthwhile: number }) {
  const { experiment } = useEditing();
  const lines = rounds.together.flatMap((of) => [...of.rounds.map((round) => ({ of, round })), { of, round: null }]);
  return (
    <Panel title={<Term name="Round">Rounds</Term>} note={rounds.refused ? undefined : STANDINGS[rounds.standing]}>
      <p className="mb-2">{rounds.refused || rounds.sentence}</p>
      {lines.length > 0 && (
        <DataTable
          label="Rounds, in figures"
          rows={lines}
          rowKey={({ of, round }) => `${of.metric}-${of.letter}-${round?.number ?? "all"}`}
          rowClass={({ round }) => (round ? "" : "font-semibold")}
          sortable={false}
          columns={columnsOf(lines, experiment.key, worthwhile)}
        />
      )}
      {rounds.together.map((of) => (
        <p key={`${of.metric}-${of.letter}`} className="quiet mt-1 text-sm">
          {of.metric_name}, {of.letter}: {of.sentence}
        </p>
      ))}
    </Panel>
  );
}

function liftOf({ of, round }: Line) {
  return round ? round.lift : of.lift;
}

function unitsOf({ of, round }: Line): number {
  const counted = round ? [round] : of.rounds;
  return counted.flatMap((one) => one.units).reduce((sum, units) => sum + units, 0);
}

function columnsOf(lines: Line[], experiment: string, worthwhile: number): Column<Line>[] {
  const axis = sharedAxis(
    lines.map(liftOf).filter((lift) => lift !== null),
    worthwhile,
    3,
  );
  return [
    {
      name: "Metric",
      align: "left",
      hideable: false,
      value: ({ of }) => of.metric_name,
      copied: [["metric", ({ of }) => of.metric_name]],
      cell: ({ of, round }) => (
        <span className={round && round !== of.rounds[0] ? "sr-only" : ""}>{of.metric_name}</span>
      ),
    },
    {
      name: "Variant",
      align: "left",
      value: ({ of }) => of.letter,
      copied: [["variant", ({ of }) => of.letter]],
      cell: ({ of }) => <Letter letter={of.letter} />,
    },
    {
      name: "Round",
      align: "left",
      hideable: false,
      className: "whitespace-nowrap",
      value: ({ round }) => (round ? round.number : Infinity),
      copied: [["round", ({ round }) => round?.number ?? "all"]],
      cell: ({ round }) =>
        round ? (
          <>
            <Link className="link" to={`/experiments/${round.key || experiment}/evidence`}>
              Round {round.number}
            </Link>
            <span className="quiet block text-xs">
              {round.first && round.last && `${day(round.first)} to ${day(round.last)}`}
            </span>
          </>
        ) : (
          "Together"
        ),
    },
    { name: "Units", value: unitsOf, copied: [["units", unitsOf]], cell: (line) => count(unitsOf(line)) },
    stripColumn(axis, STRIP, (line) => {
      const lift = liftOf(line);
      const where = line.round ? `round ${line.round.number}` : "all rounds together";
      const tone = line.round ? "open" : line.of.tone;
      return lift && { lift, tone, worthwhile, sentence: `Lift of ${line.of.letter}, ${where}: ${bounds(lift)}` };
    }),
    {
      name: "Lift",
      className: "whitespace-nowrap",
      value: (line) => liftOf(line)?.estimate,
      copied: copiedLift(liftOf),
      cell: (line) => {
        const lift = liftOf(line);
        return lift ? (
          <>
            {lift.estimate_text}
            <span className="quiet block text-xs font-normal">{bounds(lift)}</span>
          </>
        ) : (
          "–"
        );
      },
    },
  ];
}
