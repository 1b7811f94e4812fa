import { useState } from "react";
import type { Looks, Reading } from "../../api/client";
import { methodNamed } from "../../api/vocabulary";
import { useSession } from "../../api/hooks";
import { useLooks, type FigureAsked } from "../../api/outcome";
import { PathPicture } from "../../charts/PathPicture";
import { bounds, day, weekday } from "../../lib/format";
import { tableText } from "../../lib/tableText";
import { FormError, Panel } from "../../parts/basics";
import { CopyTable } from "../../parts/CopyTable";
import { useEditing } from "../editing";
import { Figured } from "./Working";

type Taken = Looks["taken"][number];

/** The looks: what each saw, the boundary it was held against, and how likely those to come are to settle it. */
export function LooksPanel({ looks, reading }: { looks: Looks; reading: Reading }) {
  const { experiment } = useEditing();
  const { data: session } = useSession();
  const step = useLooks(experiment.key);
  const [aside, setAside] = useState<number | null>(null);
  const mayEdit = (session?.account?.may_edit ?? false) && ["running", "paused", "ended"].includes(experiment.state);
  const planned = methodNamed(reading.method).has_looks;
  const due = looks.taken.some((look) => look.due);
  const last = looks.taken.at(-1);
  return (
    <Panel
      title={planned ? "Looks" : "The reading"}
      note={
        reading.next_look
          ? `next look on ${weekday(reading.next_look)}; until then no verdict is read`
          : planned
            ? "a look that was taken is kept, whatever comes in later"
            : "read once and kept, whatever comes in later"
      }
      action={
        <span className="flex items-center gap-2">
          {mayEdit && due && (
            <button className="btn btn-xs" disabled={step.isPending} onClick={() => step.mutate({ kind: "take" })}>
              {planned ? "Take the look now" : "Keep it now"}
            </button>
          )}
          <CopyTable text={asText(looks)} />
        </span>
      }
    >
      <div className={planned ? "grid grid-cols-[minmax(0,1fr)_minmax(0,1.1fr)] gap-4 max-xl:grid-cols-1" : ""}>
        {planned && <PathPicture looks={looks} />}
        <div className="overflow-x-auto text-sm" tabIndex={0} aria-label="Looks, in figures">
          <table className="w-full text-right">
            <thead className="quiet text-xs">
              <tr className="border-b border-base-300">
                <th className="py-1 text-left font-normal">Look</th>
                <th className="pl-2 font-normal">z</th>
                <th className="pl-2 font-normal">boundary</th>
                <th className="pl-2 font-normal">Lift</th>
                <th className="pl-2 text-left font-normal">Kept</th>
              </tr>
            </thead>
            <tbody>
              {looks.taken.map((look) => (
                <tr key={look.number} className="border-b border-base-300 align-top">
                  <td className="py-1.5 text-left">
                    {planned ? `${look.number}, ` : ""}
                    {day(look.day)}
                    <span className="quiet block text-xs">{Math.round(look.information * 100)}% of the data</span>
                  </td>
                  {look.letter && look.letter !== "A" ? (
                    <>
                      <td className="py-1.5 pl-2">
                        <OfLook look={look} figure="pvalue" label="z" shown={look.statistic?.toFixed(3)} />
                      </td>
                      <td className="py-1.5 pl-2">
                        <OfLook
                          look={look}
                          figure="boundary"
                          label="Boundary"
                          shown={look.critical_value?.toFixed(3)}
                        />
                      </td>
                    </>
                  ) : (
                    <>
                      <td className="py-1.5 pl-2">–</td>
                      <td className="py-1.5 pl-2">–</td>
                    </>
                  )}
                  <td className="py-1.5 pl-2 whitespace-nowrap">
                    {look.letter}{" "}
                    {look.lift && <OfLook look={look} figure="lift" label="Lift" shown={look.lift.estimate_text} />}
                    <span className="quiet block text-xs">{look.lift ? bounds(look.lift) : ""}</span>
                  </td>
                  <td className="py-1.5 pl-2 text-left text-xs">
                    {look.stored ? look.taken_by : look.due ? "due" : "its day is not over"}
                    {mayEdit && look.stored && (
                      <button className="link block" onClick={() => setAside(look.number)}>
                        Set aside…
                      </button>
                    )}
                  </td>
                </tr>
              ))}
              {looks.planned.map((look) => (
                <tr key={look.day} className="quiet border-b border-base-300 last:border-b-0">
                  <td className="py-1.5 text-left">{day(look.day)}</td>
                  <td className="pl-2">…</td>
                  <td className="pl-2">{look.critical_value.toFixed(3)}</td>
                  <td className="pl-2">{Math.round(look.information * 100)}% planned</td>
                  <td />
                </tr>
              ))}
            </tbody>
          </table>
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
          data are looked at anew.
        </span>
        <input
          autoFocus
          className="input input-sm w-full"
          value={reason}
          onChange={(event) => setReason(event.target.value)}
        />
      </label>
      <button type="button" className="btn btn-sm" onClick={leave}>
        Keep it
      </button>
      <button className="btn btn-sm btn-primary" disabled={busy}>
        Set it aside
      </button>
    </form>
  );
}

function percent(value: number): string {
  if (value > 0.99) return "over 99%";
  return value < 0.01 ? "under 1%" : `${Math.round(value * 100)}%`;
}

function asText(looks: Looks): string {
  const cells = (look: Taken) =>
    [
      look.number,
      look.day,
      look.information,
      look.statistic,
      look.critical_value,
      look.lift?.estimate,
      look.lift?.low,
      look.lift?.high,
      look.power_as_seen,
      look.power_if_worthwhile,
    ].map((cell) => cell ?? "");
  return tableText(
    ["look", "day", "information", "z", "boundary", "lift", "low", "high", "power as seen", "power if worthwhile"],
    looks.taken.map(cells),
  );
}
