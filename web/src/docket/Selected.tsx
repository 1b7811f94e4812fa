import { useState } from "react";
import { client, take, type DocketRow } from "../api/client";
import { plural } from "../lib/format";
import { HandOver, Steps, type StepProps } from "../parts/Steps";

interface Props {
  rows: DocketRow[];
  all: () => void;
  clear: () => void;
}

/** What can be done to several at once. Each is a step of its own, with its entry in the ledger, and may be refused by itself. */
export function Selected({ rows, all, clear }: Props) {
  const [doing, setDoing] = useState<"archive" | "restore" | "undo" | "hand over">();
  const [archived, setArchived] = useState<StepProps["rows"]>([]);
  const none = rows.length === 0;
  const away = rows.filter((row) => row.state === "archived");
  const close = () => setDoing(undefined);
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
      {away.length > 0 ? (
        <button type="button" className="btn btn-sm" onClick={() => setDoing("restore")}>
          Restore…
        </button>
      ) : (
        <button type="button" className="btn btn-sm" disabled={none} onClick={() => setDoing("archive")}>
          Archive…
        </button>
      )}
      {archived.length > 0 && (
        <span role="status" className="w-full">
          {plural(archived.length, "experiment")} archived.{" "}
          <button type="button" className="link" onClick={() => setDoing("undo")}>
            Undo
          </button>
        </span>
      )}
      {doing === "archive" && <Archive rows={rows} close={close} done={clear} went={setArchived} />}
      {doing === "restore" && <Restore rows={away} close={close} done={clear} />}
      {doing === "undo" && <Restore rows={archived} close={close} went={() => setArchived([])} />}
      {doing === "hand over" && <HandOver rows={rows} close={close} done={clear} />}
    </div>
  );
}

const moveTo = (key: string, move: "archive" | "restore") =>
  take(client.POST("/api/v1/experiments/{key}/move/{move}", { params: { path: { key, move } } }));

function Restore(props: StepProps) {
  return (
    <Steps
      {...props}
      title={`Restore ${plural(props.rows.length, "experiment")}?`}
      what="Restore"
      step={(key) => moveTo(key, "restore")}
    >
      <p>They stand in the docket again, in the state that they were in.</p>
    </Steps>
  );
}

function Archive(props: StepProps) {
  return (
    <Steps
      {...props}
      title={`Archive ${plural(props.rows.length, "experiment")}?`}
      what="Archive"
      step={(key) => moveTo(key, "archive")}
    >
      <p>
        They leave the docket and are found in the archive, with all that belongs to them; there each can be restored.
        One that runs or is paused has to be ended first and stays.
      </p>
    </Steps>
  );
}
