import { useState } from "react";
import { useQueryClient } from "@tanstack/react-query";
import { client, take } from "../api/client";
import { useOwners } from "../api/hooks";
import { askAgain } from "../api/keys";
import { plural } from "../lib/format";
import { Dialog } from "./Dialog";

export interface StepProps {
  rows: readonly { key: string; name: string }[];
  close: () => void;
  /** Called when all went well. */
  done?: () => void;
  /** Called with those that were not refused. */
  went?: (rows: StepProps["rows"]) => void;
}

/** Gives experiments to somebody else, who is chosen first. */
export function HandOver(props: StepProps) {
  const owners = useOwners().data ?? [];
  const [owner, setOwner] = useState("");
  return (
    <Steps
      {...props}
      title={`Hand over ${props.rows.length === 1 ? `“${props.rows[0]?.name}”` : plural(props.rows.length, "experiment")}?`}
      what="Hand over"
      ready={owner !== ""}
      step={(key) =>
        take(client.POST("/api/v1/experiments/{key}/hand-over", { params: { path: { key } }, body: { owner } }))
      }
    >
      <label className="block">
        <span className="quiet mb-1 block text-sm">To whom</span>
        <select className="select w-full" value={owner} onChange={(event) => setOwner(event.target.value)}>
          <option value="">choose a person</option>
          {owners.map((one) => (
            <option key={one.username} value={one.username}>
              {one.display_name}
            </option>
          ))}
        </select>
      </label>
    </Steps>
  );
}

interface StepsProps extends StepProps {
  title: string;
  what: string;
  ready?: boolean;
  step: (key: string) => Promise<unknown>;
  children: React.ReactNode;
}

interface Refused {
  name: string;
  why: string;
}

/** One experiment after another, with how far it is; what was refused is said by name at the end. */
export function Steps({ rows, close, done, went, title, what, ready = true, step, children }: StepsProps) {
  const cache = useQueryClient();
  const [through, setThrough] = useState<number>();
  const [refused, setRefused] = useState<Refused[]>();
  const run = async () => {
    const no: Refused[] = [];
    const yes: StepProps["rows"][number][] = [];
    for (const [index, row] of rows.entries()) {
      setThrough(index);
      await step(row.key).then(
        () => yes.push(row),
        (error: Error) => no.push({ name: row.name, why: error.message }),
      );
    }
    await askAgain(cache);
    setThrough(undefined);
    went?.(yes);
    if (no.length > 0) return setRefused(no);
    close();
    done?.();
  };
  return (
    <Dialog title={title} close={() => through === undefined && close()}>
      {refused ? (
        <div role="alert">
          <p>
            {refused.length === rows.length
              ? "None was changed:"
              : `${plural(rows.length - refused.length, "experiment")} of ${rows.length} done. These stay as they are:`}
          </p>
          <ul className="mt-2 list-disc pl-5">
            {refused.map((one) => (
              <li key={one.name}>
                <strong>
                  <bdi>{one.name}</bdi>
                </strong>
                : {one.why}
              </li>
            ))}
          </ul>
        </div>
      ) : (
        <>
          {children}
          {rows.length > 1 && (
            <ul className="quiet mt-3 max-h-40 list-disc overflow-auto pl-5 text-sm">
              {rows.map((row) => (
                <li key={row.key}>{row.name}</li>
              ))}
            </ul>
          )}
        </>
      )}
      <div className="mt-4 flex items-center justify-end gap-2">
        {through !== undefined && (
          <span role="status" className="mr-auto text-sm">
            {through + 1} of {rows.length}…
          </span>
        )}
        <button type="button" className="btn btn-sm" disabled={through !== undefined} onClick={close}>
          {refused ? "Close" : "Cancel"}
        </button>
        {!refused && (
          <button
            type="button"
            className="btn btn-sm btn-primary"
            disabled={!ready || through !== undefined}
            onClick={() => void run()}
          >
            {what}
          </button>
        )}
      </div>
    </Dialog>
  );
}
