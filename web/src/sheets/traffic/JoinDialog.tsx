import { useState } from "react";
import type { Parameter, Stretches } from "../../api/client";
import type { useChangeSplit } from "../../api/split";
import { Dialog } from "../../parts/Dialog";
import { errorOf } from "../../parts/basics";
import { variantsIn } from "../../api/edits";
import { useEditing } from "../editing";
import { Buttons, FirstDay, Reason, Weights, WrongOf, letterAt, weightsOf } from "./changeForm";

interface Props {
  split: Stretches;
  join: ReturnType<typeof useChangeSplit>["join"];
  close: () => void;
}

/** A new challenger from the beginning of a day on, compared with the control of its own time. */
export function JoinDialog({ split, join, close }: Props) {
  const { experiment } = useEditing();
  const served = experiment.data_from === "events";
  const variants = variantsIn(experiment);
  const letter = letterAt(variants.length);
  const shares = split.stretches[split.stretches.length - 1]?.shares ?? [];
  const shown = [...shares.map((share) => share > 0), true];
  // As large as the largest of the others, until somebody says otherwise.
  const [typed, setTyped] = useState(() =>
    [...shares, Math.max(...shares.slice(1))].map((share) => String(Number((100 * share).toFixed(2)))),
  );
  const [name, setName] = useState("");
  const [changes, setChanges] = useState("");
  const [parameters, setParameters] = useState<Parameter[]>(
    () => variants.at(0)?.parameters?.map((one) => ({ ...one })) ?? [],
  );
  const [day, setDay] = useState(served ? split.earliest_day : "");
  const [reason, setReason] = useState("");
  const weights = weightsOf(typed, shown);
  const place = variants.length;
  const wrong = [
    `variants.${place}.name`,
    "parameters",
    ...parameters.map((_, at) => `variants.${place}.parameters.${at}.value`),
    "weights",
    "from_day",
  ];
  return (
    <Dialog title={`Let ${letter} join`} close={close}>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          if (!weights) return;
          const lines = changes.split("\n").filter((line) => line.trim());
          const variant = { name, changes: lines, parameters, link: "" };
          join.mutate({ variant, weights, from_day: day, reason }, { onSuccess: close });
        }}
      >
        <p>
          It is compared only with control’s {experiment.unit_name} of its own time. The rule then reads one comparison
          more at the same level, and waits until {letter} has the planned sample too. Let it join for the idea, not for
          what the figures show so far: then the level holds.
        </p>
        <label className="mt-3 block">
          <span className="quiet block text-sm">Name of {letter}</span>
          <input
            className="input w-full"
            required
            maxLength={80}
            value={name}
            onChange={(event) => setName(event.target.value)}
          />
        </label>
        <label className="mt-3 block">
          <span className="quiet block text-sm">What it changes, one thing a line</span>
          <textarea
            className="textarea w-full"
            rows={2}
            value={changes}
            onChange={(event) => setChanges(event.target.value)}
          />
        </label>
        {parameters.map((one, at) => (
          <label key={one.name} className="mt-2 flex items-center gap-3">
            <span className="w-40 truncate font-mono text-sm">{one.name}</span>
            <input
              className="input input-sm w-64"
              value={one.value}
              aria-label={`Value of ${one.name} for ${letter}`}
              onChange={(event) =>
                setParameters(
                  parameters.map((other, i) => (i === at ? { ...other, value: event.target.value } : other)),
                )
              }
            />
          </label>
        ))}
        <Weights typed={typed} shown={shown} change={setTyped} />
        <FirstDay split={split} served={served} value={day} change={setDay} />
        <WrongOf error={join.error} fields={wrong} />
        <Reason
          value={reason}
          change={setReason}
          error={wrong.some((field) => errorOf(join.error, field)) ? null : join.error}
        />
        <Buttons
          close={close}
          yes={`Let ${letter} join`}
          pending={join.isPending}
          ready={weights !== null && day !== "" && name.trim() !== ""}
        />
      </form>
    </Dialog>
  );
}
