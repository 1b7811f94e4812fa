import { useId, useState } from "react";
import type { Stretches } from "../../api/client";
import { LETTERS } from "../../api/vocabulary";
import { useChangeSplit, useSplit } from "../../api/split";
import { count, rate, weekday } from "../../lib/format";
import { fromCanonical } from "../../lib/numbers";
import { Dialog } from "../../parts/Dialog";
import { Letter } from "../../parts/Letter";
import { NumberInput } from "../../parts/NumberInput";
import { RadioCard } from "../../parts/RadioCard";
import { Term } from "../../parts/Term";
import { Failure, FormError, Panel, Skeleton, errorOf } from "../../parts/basics";
import { useEditing, variantsIn } from "../editing";

type Asked = "split" | "stop";

/** The split as it was and is, stretch by stretch, and the ways to change it on the way. */
export function StretchesPanel() {
  const { experiment, mayEdit } = useEditing();
  const query = useSplit(experiment.key);
  const { change, stop, withdraw } = useChangeSplit(experiment.key);
  const [asked, setAsked] = useState<Asked | null>(null);
  if (query.isPending) return <Skeleton rows={2} />;
  if (query.isError) return <Failure error={query.error} again={() => void query.refetch()} />;
  const split = query.data;
  const open = (what: Asked) => () => {
    change.reset();
    stop.reset();
    setAsked(what);
  };
  const close = () => setAsked(null);
  return (
    <Panel
      title="Split over time"
      note="Who is in stays where they are; variants are compared within each stretch of one split."
      action={
        mayEdit && (
          <span className="flex gap-2">
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
      {asked === "stop" && <StopDialog split={split} stop={stop} close={close} />}
    </Panel>
  );
}

function StretchTable({ split }: { split: Stretches }) {
  const { experiment } = useEditing();
  const variants = variantsIn(experiment);
  return (
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
                {share === 0 ? <span className="quiet">stopped</span> : rate(share, 1)}
              </td>
            ))}
            <td className="text-right">{count(one.units.reduce((sum, units) => sum + units, 0))}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function letterAt(place: number): string {
  return LETTERS[place] ?? "";
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
  const numbers = typed.map((text, at) => (shown[at] ? fromCanonical(text) : 1));
  const known = numbers.every((number): number is number => number !== null && number > 0);
  const sum = known ? numbers.reduce((total, number, at) => total + (shown[at] ? number : 0), 0) : NaN;
  return (
    <Dialog title="Change the split" close={close}>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          if (known) change.mutate({ weights: numbers, from_day: day, reason }, { onSuccess: close });
        }}
      >
        <p>
          A new stretch begins. Who is in stays where they are, and variants are compared within each stretch, so that
          days of different splits are not held against one another.
        </p>
        <div className="mt-3 flex flex-wrap gap-3">
          {typed.map(
            (text, at) =>
              shown[at] && (
                <label key={at} className="flex items-center gap-1">
                  {letterAt(at)}
                  <NumberInput
                    className="input-sm w-20"
                    aria-label={`Weight of ${letterAt(at)} from then on`}
                    value={text}
                    change={(next) => setTyped(typed.map((before, place) => (place === at ? next : before)))}
                  />
                </label>
              ),
          )}
        </div>
        <p role="status" className={`text-sm ${known ? "quiet" : "text-error"}`}>
          {known
            ? `That is ${numbers
                .map((number, at) => (shown[at] ? `${letterAt(at)} ${rate(number / sum, 1)}` : ""))
                .filter(Boolean)
                .join(", ")}.`
            : "Each must be a number above 0."}
        </p>
        <DayField
          label="From the day"
          note={served ? "from midnight on, so that a day has one split" : "the first whole day with these shares"}
          required
          min={split.earliest_day}
          value={day}
          change={setDay}
        />
        <WrongOf error={change.error} fields={["weights", "from_day"]} />
        <Reason value={reason} change={setReason} error={change.error} />
        <Buttons close={close} yes="Change the split" pending={change.isPending} ready={known && day !== ""} />
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
          <DayField
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

interface DayProps {
  label: string;
  note: string;
  value: string;
  change: (day: string) => void;
  required?: boolean;
  min?: string;
}

function DayField({ label, note, change, ...input }: DayProps) {
  const id = useId();
  return (
    <label className="mt-3 flex items-center gap-3">
      <span className="w-24">{label}</span>
      <input
        type="date"
        className="input input-sm w-40"
        onChange={(event) => change(event.target.value)}
        aria-describedby={id}
        {...input}
      />
      <span id={id} className="quiet text-sm">
        {note}
      </span>
    </label>
  );
}

function WrongOf({ error, fields }: { error: Error | null; fields: string[] }) {
  const wrong = fields.map((field) => errorOf(error, field)).find(Boolean);
  if (!wrong) return null;
  return (
    <p role="alert" className="text-sm text-error">
      {wrong}
    </p>
  );
}

function Reason({ value, change, error }: { value: string; change: (text: string) => void; error: Error | null }) {
  const wrong = errorOf(error, "reason");
  const elsewhere = ["weights", "from_day", "variant", "on_day", "afterwards"].some((field) => errorOf(error, field));
  return (
    <>
      <label className="mt-3 block">
        <span className="quiet block text-sm">Why? Evidence and report show it.</span>
        <input
          className="input w-full"
          required
          maxLength={300}
          value={value}
          onChange={(event) => change(event.target.value)}
        />
      </label>
      {wrong ? (
        <p role="alert" className="text-sm text-error">
          {wrong}
        </p>
      ) : (
        !elsewhere && <FormError error={error} />
      )}
    </>
  );
}

interface ButtonsProps {
  close: () => void;
  yes: string;
  pending: boolean;
  ready: boolean;
}

function Buttons({ close, yes, pending, ready }: ButtonsProps) {
  return (
    <div className="mt-4 flex justify-end gap-2">
      <button type="button" className="btn btn-sm" onClick={close}>
        Cancel
      </button>
      <button className="btn btn-sm btn-primary" disabled={pending || !ready}>
        {yes}
      </button>
    </div>
  );
}
