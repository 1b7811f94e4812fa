import { useState } from "react";
import type { Looks, Reading } from "../../api/client";
import { methodNamed, questionNamed } from "../../api/vocabulary";
import { useLooks, type FigureAsked } from "../../api/outcome";
import { copiedLift } from "../../charts/stripColumn";
import { PathPicture } from "../../charts/PathPicture";
import { bounds, day, weekday } from "../../lib/format";
import { capital, inUnit } from "../../lib/metrics";
import { FormError, Panel } from "../../parts/basics";
import { DataTable, type Column } from "../../parts/DataTable";
import { Term } from "../../parts/Term";
import { useEditing } from "../editing";
import { Figured } from "./DerivationCard";

type Taken = Looks["taken"][number];

/** The looks: what each saw, the boundary it was held against, and how likely those to come are to settle it. */
export function LooksPanel({ looks, reading }: { looks: Looks; reading: Reading }) {
  const { experiment, mayAct } = useEditing();
  const step = useLooks(experiment.key);
  const [aside, setAside] = useState<number | null>(null);
  const mayEdit = mayAct && ["running", "paused", "ended"].includes(experiment.state);
  const planned = methodNamed(reading.method).has_looks;
  const due = looks.taken.some((look) => look.due);
  const last = looks.taken.at(-1);
  return (
    <Panel
      fold={due ? undefined : "looks"}
      title={planned ? <Term name="Look">Looks</Term> : "The reading"}
      note={
        reading.next_look
          ? `next look on ${weekday(reading.next_look)}; until then no verdict is read`
          : planned
            ? "a look that was taken is kept, whatever comes in later"
            : "read once and kept, whatever comes in later"
      }
      action={
        mayEdit &&
        due && (
          <button className="btn btn-xs" disabled={step.isPending} onClick={() => step.mutate({ kind: "take" })}>
            {planned ? "Take the look now" : "Store it now"}
          </button>
        )
      }
    >
      <div className={planned ? "grid grid-cols-[minmax(0,1fr)_minmax(0,1.1fr)] gap-4 max-xl:grid-cols-1" : ""}>
        {planned && <PathPicture looks={looks} />}
        <div className="text-sm">
          <DataTable
            label="Looks, in figures"
            rows={looks.taken}
            totals={looks.planned}
            rowKey={(look) => look.day}
            rowClass={(look) => (isTaken(look) ? "" : "quiet")}
            sortable={false}
            columns={columnsOf(planned, mayEdit, setAside, reading)}
          />
        </div>
      </div>
      {last?.power_as_seen != null && (
        <p className="mt-2 text-sm">
          Chance that the last look finds {last.letter} ahead:{" "}
          <OfLook look={last} figure="power" label="Chance ahead" shown={percent(last.power_as_seen)} /> if it goes on
          as seen, {percent(last.power_if_worthwhile ?? 0)} if the true lift is the worthwhile one. For judging whether
          to go on; it decides nothing.
        </p>
      )}
      {aside !== null && (
        <SetAside
          number={aside}
          busy={step.isPending}
          send={(reason) => step.mutate({ kind: "aside", number: aside, reason }, { onSuccess: () => setAside(null) })}
          leave={() => setAside(null)}
        />
      )}
      <FormError error={step.error} />
      {looks.set_aside.map((line) => (
        <p key={`${line.number}-${line.at}`} className="tone-warning mt-1 text-sm">
          Look {line.number} of {day(line.day)} was set aside by {line.by} on {day(line.at)}: {line.because}. It had
          said: {line.short}.
        </p>
      ))}
    </Panel>
  );
}

interface OfLookProps {
  look: Taken;
  figure: FigureAsked["figure"];
  label: string;
  shown: string | undefined;
}

/** A figure of a look, which opens how it is made. */
function OfLook({ look, figure, label, shown }: OfLookProps) {
  const { experiment } = useEditing();
  return (
    <Figured
      experiment={experiment.key}
      figure={figure}
      variant={look.letter ?? "B"}
      look={look.number}
      label={`${label} at look ${look.number}`}
    >
      {shown ?? "–"}
    </Figured>
  );
}

interface AsideProps {
  number: number;
  busy: boolean;
  send: (reason: string) => void;
  leave: () => void;
}

function SetAside({ number, busy, send, leave }: AsideProps) {
  const [reason, setReason] = useState("");
  return (
    <form
      className="mt-2 flex items-end gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        send(reason);
      }}
    >
      <label className="grow text-sm">
        <span className="quiet block">
          What was wrong with the data of look {number}? It and those after it are left out, stay on record, and the
          data are read again.
        </span>
        <input
          autoFocus
          className="input input-sm w-full"
          value={reason}
          onChange={(event) => setReason(event.target.value)}
        />
      </label>
      <button type="button" className="btn btn-sm" onClick={leave}>
        Keep
      </button>
      <button className="btn btn-sm btn-primary" disabled={busy}>
        Set aside
      </button>
    </form>
  );
}

function percent(value: number): string {
  if (value > 0.99) return "over 99%";
  return value < 0.01 ? "under 1%" : `${Math.round(value * 100)}%`;
}

type Planned = Looks["planned"][number];
type Look = Taken | Planned;

function isTaken(look: Look): look is Taken {
  return "number" in look;
}

function columnsOf(
  planned: boolean,
  mayEdit: boolean,
  setAside: (number: number) => void,
  reading: Reading,
): Column<Look>[] {
  const { scale } = reading;
  const { about_zero: aboutZero } = questionNamed(reading.question);
  const taken =
    <Value,>(of: (look: Taken) => Value) =>
    (look: Look) =>
      isTaken(look) ? of(look) : undefined;
  return [
    {
      name: "Look",
      align: "left",
      hideable: false,
      value: (look) => look.day,
      copied: [
        ["look", taken((look) => look.number)],
        ["day", (look) => look.day],
        ["information", (look) => look.information],
      ],
      cell: (look) =>
        isTaken(look) ? (
          <>
            {planned ? `${look.number}, ` : ""}
            {day(look.day)}
            <span className="quiet block text-xs">{Math.round(look.information * 100)}% of the data</span>
          </>
        ) : (
          day(look.day)
        ),
    },
    {
      name: aboutZero ? "z" : "z of the margin",
      value: taken((look) => look.statistic),
      cell: (look) => {
        if (!isTaken(look)) return "…";
        if (!compares(look)) return "–";
        // How a p of no difference is made says nothing of a margin.
        if (!aboutZero) return look.statistic?.toFixed(3);
        return <OfLook look={look} figure="pvalue" label="z" shown={look.statistic?.toFixed(3)} />;
      },
    },
    {
      name: "boundary",
      value: (look) => look.critical_value,
      cell: (look) => {
        if (!isTaken(look)) return look.critical_value.toFixed(3);
        return compares(look) ? (
          <OfLook look={look} figure="boundary" label="Boundary" shown={look.critical_value?.toFixed(3)} />
        ) : (
          "–"
        );
      },
    },
    {
      name: capital(scale),
      className: "whitespace-nowrap",
      value: taken((look) => look.lift?.estimate),
      copied: [
        ...copiedLift(
          taken((look) => look.lift && inUnit(look.lift, reading)),
          [scale, `${scale} low`, `${scale} high`],
        ),
        ["power as seen", taken((look) => look.power_as_seen)],
        ["power if worthwhile", taken((look) => look.power_if_worthwhile)],
      ],
      cell: (look) =>
        isTaken(look) ? (
          <>
            {look.letter}{" "}
            {look.lift && <OfLook look={look} figure={scale} label={capital(scale)} shown={look.lift.estimate_text} />}
            <span className="quiet block text-xs">{look.lift ? bounds(look.lift) : ""}</span>
          </>
        ) : (
          `${Math.round(look.information * 100)}% planned`
        ),
    },
    {
      name: "Stored",
      align: "left",
      className: "text-xs",
      cell: (look) =>
        isTaken(look) && (
          <>
            {look.stored ? look.taken_by : look.due ? "due" : "its day is not over"}
            {mayEdit && look.stored && !look.closed && (
              <button className="link block" onClick={() => setAside(look.number)}>
                Set aside…
              </button>
            )}
          </>
        ),
    },
  ];
}

/** Whether a look compares a variant with control. */
function compares(look: Taken): boolean {
  return !!look.letter && look.letter !== "A";
}
