import { useState } from "react";
import type { Stretches } from "../../api/client";
import { LETTERS } from "../../api/vocabulary";
import { useChangeSplit, useSplit } from "../../api/split";
import { count, rate, weekday } from "../../lib/format";
import { Dialog } from "../../parts/Dialog";
import { Letter } from "../../parts/Letter";
import { RadioCard } from "../../parts/RadioCard";
import { Term } from "../../parts/Term";
import { Failure, FormError, Panel, Skeleton } from "../../parts/basics";
import { variantsIn } from "../../api/edits";
import { useEditing } from "../editing";
import { Buttons, DayLine, FirstDay, Reason, Weights, WrongOf, letterAt, weightsOf } from "./changeForm";
import { JoinDialog } from "./JoinDialog";

type Asked = "split" | "stop" | "join";

/** The split as it was and is, stretch by stretch, and the ways to change it on the way. */
export function StretchesPanel() {
  const { experiment, mayEdit } = useEditing();
  const query = useSplit(experiment.key);
  const { change, stop, join, withdraw } = useChangeSplit(experiment.key);
  const [asked, setAsked] = useState<Asked | null>(null);
  if (query.isPending) return <Skeleton rows={2} />;
  if (query.isError) return <Failure error={query.error} again={() => void query.refetch()} />;
  const split = query.data;
  const open = (what: Asked) => () => {
    change.reset();
    stop.reset();
    join.reset();
    setAsked(what);
  };
  const close = () => setAsked(null);
  return (
    <Panel
      title="Split over time"
      note="Who is in stays where they are; variants are compared within each stretch of one split."
      action={
        mayEdit && (
          <span className="flex flex-wrap gap-2">
            <button
              className="btn btn-xs"
              disabled={split.refused !== ""}
              title={split.refused}
              onClick={open("split")}
            >
              Change the split…
            </button>
            <button
              className="btn btn-xs"
              disabled={split.stop_refused !== ""}
              title={split.stop_refused}
              onClick={open("stop")}
            >
              Stop a variant…
            </button>
            <button
              className="btn btn-xs"
              disabled={split.join_refused !== ""}
              title={split.join_refused}
              onClick={open("join")}
            >
              Let a variant join…
            </button>
          </span>
        )
      }
    >
      <StretchTable split={split} />
      {split.changes.length === 0 ? (
        <p className="quiet text-sm">One split from the start on. {mayEdit && split.refused}</p>
      ) : (
        <ul className="mt-2 text-sm">
          {split.changes.map((one) => (
            <li key={one.number} className="flex items-center gap-3 border-b border-base-300 py-1">
              <span className="w-28 whitespace-nowrap">{weekday(one.from_day)}</span>
              <span className="grow">
                {one.sentence}{" "}
                <span className="quiet">
                  {one.reason} · {one.by}
                </span>
              </span>
              {mayEdit && one.stays === "" && (
                <button
                  className="btn btn-xs"
                  aria-label={`Withdraw: ${one.sentence}`}
                  disabled={withdraw.isPending}
                  onClick={() => withdraw.mutate(one.number)}
                >
                  Withdraw
                </button>
              )}
            </li>
          ))}
        </ul>
      )}
      <FormError error={withdraw.error} />
      {asked === "split" && <ChangeDialog split={split} change={change} close={close} />}
      {asked === "join" && <JoinDialog split={split} join={join} close={close} />}
      {asked === "stop" && <StopDialog split={split} stop={stop} close={close} />}
    </Panel>
  );
}

function StretchTable({ split }: { split: Stretches }) {
  const { experiment } = useEditing();
  const variants = variantsIn(experiment);
  return (
    <div className="overflow-auto">
      <table className="table table-sm">
        <thead>
          <tr>
            <th>
              <Term name="Stretch" />
            </th>
            <th>From</th>
            <th>Until</th>
            {variants.map((_, at) => (
              <th key={at} className="text-right">
                <Letter letter={letterAt(at)} />
              </th>
            ))}
            <th className="text-right">{experiment.unit_name}</th>
          </tr>
        </thead>
        <tbody>
          {split.stretches.map((one) => (
            <tr key={one.number}>
              <td>{one.number}</td>
              <td className="whitespace-nowrap">{weekday(one.first)}</td>
              <td className="whitespace-nowrap">{one.last ? weekday(one.last) : "now"}</td>
              {one.shares.map((share, at) => (
                <td key={at} className="text-right">
                  {share > 0 ? rate(share, 1) : <span className="quiet">{absence(one, letterAt(at))}</span>}
                </td>
              ))}
              <td className="text-right">{count(one.units.reduce((sum, units) => sum + units, 0))}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function absence(stretch: Stretches["stretches"][number], letter: string): string {
  return stretch.awaited.includes(letter) ? "joins later" : "stopped";
}

interface ChangeProps {
  split: Stretches;
  change: ReturnType<typeof useChangeSplit>["change"];
  close: () => void;
}

/** Other weights from the beginning of a day on. */
function ChangeDialog({ split, change, close }: ChangeProps) {
  const { experiment } = useEditing();
  const served = experiment.data_from === "events";
  const shares = split.stretches[split.stretches.length - 1]?.shares ?? [];
  const [typed, setTyped] = useState(() => shares.map((share) => String(Number((100 * share).toFixed(2)))));
  const [day, setDay] = useState(served ? split.earliest_day : "");
  const [reason, setReason] = useState("");
  const shown = shares.map((share) => share > 0);
  const numbers = weightsOf(typed, shown);
  return (
    <Dialog title="Change the split" close={close}>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          if (numbers) change.mutate({ weights: numbers, from_day: day, reason }, { onSuccess: close });
        }}
      >
        <p>
          A new stretch begins. Who is in stays where they are, and variants are compared within each stretch, so that
          days of different splits are not held against one another.
        </p>
        <Weights typed={typed} shown={shown} change={setTyped} />
        <FirstDay split={split} served={served} value={day} change={setDay} />
        <WrongOf error={change.error} fields={["weights", "from_day"]} />
        <Reason value={reason} change={setReason} error={change.error} />
        <Buttons
          close={close}
          yes="Change the split"
          pending={change.isPending}
          ready={numbers !== null && day !== ""}
        />
      </form>
    </Dialog>
  );
}

interface StopProps {
  split: Stretches;
  stop: ReturnType<typeof useChangeSplit>["stop"];
  close: () => void;
}

/** A variant gets no new units at once. */
function StopDialog({ split, stop, close }: StopProps) {
  const { experiment } = useEditing();
  const served = experiment.data_from === "events";
  const variants = variantsIn(experiment);
  const [letter, setLetter] = useState(split.letters[split.letters.length - 1] ?? "");
  const [afterwards, setAfterwards] = useState<"" | "keep" | "control">(served ? "control" : "");
  const [day, setDay] = useState("");
  const [reason, setReason] = useState("");
  return (
    <Dialog title="Stop a variant" close={close}>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          stop.mutate({ variant: letter, afterwards, on_day: day || null, reason }, { onSuccess: close });
        }}
      >
        <p>
          It gets no new {experiment.unit_name}, and no verdict will name it. The others take its share and are read on,
          at the level that was planned for all of them.
        </p>
        <label className="mt-3 flex items-center gap-3">
          <span className="w-24">Variant</span>
          <select className="select select-sm w-64" value={letter} onChange={(event) => setLetter(event.target.value)}>
            {split.letters.map((one) => (
              <option key={one} value={one}>
                {one} {variants[LETTERS.indexOf(one)]?.name}
              </option>
            ))}
          </select>
        </label>
        {served ? (
          <fieldset className="mt-3 grid grid-cols-2 gap-1.5">
            <legend className="quiet text-sm">What its {experiment.unit_name} get from now on</legend>
            <RadioCard
              group="afterwards"
              name="Control"
              description="Where it does harm. What they do still counts where they were."
              chosen={afterwards === "control"}
              choose={() => setAfterwards("control")}
            />
            <RadioCard
              group="afterwards"
              name="What they have"
              description="Where a change would be worse than the variant."
              chosen={afterwards === "keep"}
              choose={() => setAfterwards("keep")}
            />
          </fieldset>
        ) : (
          <DayLine
            label="On the day"
            note="empty for today; it is compared up to the day before"
            value={day}
            change={setDay}
          />
        )}
        <WrongOf error={stop.error} fields={["variant", "on_day", "afterwards"]} />
        <Reason value={reason} change={setReason} error={stop.error} />
        <Buttons close={close} yes={`Stop ${letter}`} pending={stop.isPending} ready={letter !== ""} />
      </form>
    </Dialog>
  );
}
