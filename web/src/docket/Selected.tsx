import { useState } from "react";
import { useQueryClient } from "@tanstack/react-query";
import { client, take, type DocketRow } from "../api/client";
import { useOwners } from "../api/hooks";
import { plural } from "../lib/format";
import { Dialog } from "../parts/Dialog";

interface Props {
  rows: DocketRow[];
  all: () => void;
  clear: () => void;
}

/** What can be done to several at once. Each is a step of its own, with its entry in the ledger, and may be refused by itself. */
export function Selected({ rows, all, clear }: Props) {
  const [doing, setDoing] = useState<"archive" | "hand over">();
  const none = rows.length === 0;
  return (
    <div
      role="group"
      aria-label="Selected experiments"
      className="sheet sticky bottom-2 z-10 mt-3 flex flex-wrap items-center gap-2 px-4 py-2 text-sm shadow"
    >
      <span role="status" className="font-semibold">
        {plural(rows.length, "experiment")} selected
      </span>
      <button type="button" className="btn btn-xs btn-ghost" onClick={all}>
        Select all shown
      </button>
      <button type="button" className="btn btn-xs btn-ghost" disabled={none} onClick={clear}>
        Select none
      </button>
      <button type="button" className="btn btn-sm ml-auto" disabled={none} onClick={() => setDoing("hand over")}>
        Hand over…
      </button>
      <button type="button" className="btn btn-sm" disabled={none} onClick={() => setDoing("archive")}>
        Archive…
      </button>
      {doing === "archive" && <Archive rows={rows} close={() => setDoing(undefined)} done={clear} />}
      {doing === "hand over" && <HandOver rows={rows} close={() => setDoing(undefined)} done={clear} />}
    </div>
  );
}

interface StepProps {
  rows: DocketRow[];
  close: () => void;
  done: () => void;
}

function Archive(props: StepProps) {
  return (
    <Steps
      {...props}
      title={`Archive ${plural(props.rows.length, "experiment")}?`}
      what="Archive"
      step={(key) =>
        take(client.POST("/api/v1/experiments/{key}/move/{move}", { params: { path: { key, move: "archive" } } }))
      }
    >
      <p>
        They leave the docket and are found in the archive, with all that belongs to them; there each can be restored.
        One that runs or is paused has to be ended first and stays.
      </p>
    </Steps>
  );
}

function HandOver(props: StepProps) {
  const owners = useOwners().data ?? [];
  const [owner, setOwner] = useState("");
  return (
    <Steps
      {...props}
      title={`Hand over ${plural(props.rows.length, "experiment")}?`}
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

/** One after another, with how far it is; what was refused is said by name at the end. */
function Steps({ rows, close, done, title, what, ready = true, step, children }: StepsProps) {
  const cache = useQueryClient();
  const [through, setThrough] = useState<number>();
  const [refused, setRefused] = useState<Refused[]>();
  const run = async () => {
    const no: Refused[] = [];
    for (const [index, row] of rows.entries()) {
      setThrough(index);
      await step(row.key).catch((error: Error) => no.push({ name: row.name, why: error.message }));
    }
    await cache.invalidateQueries();
    setThrough(undefined);
    if (no.length > 0) return setRefused(no);
    close();
    done();
  };
  return (
    <Dialog title={title} close={() => through === undefined && close()}>
      {refused ? (
        <div role="alert">
          <p>
            {plural(rows.length - refused.length, "experiment")} of {rows.length} done. These stay as they are:
          </p>
          <ul className="mt-2 list-disc pl-5">
            {refused.map((one) => (
              <li key={one.name}>
                <strong>{one.name}</strong>: {one.why}
              </li>
            ))}
          </ul>
        </div>
      ) : (
        <>
          {children}
          <ul className="quiet mt-3 max-h-40 list-disc overflow-auto pl-5 text-sm">
            {rows.map((row) => (
              <li key={row.key}>{row.name}</li>
            ))}
          </ul>
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
