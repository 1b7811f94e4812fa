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
