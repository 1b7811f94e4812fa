import { useLedger, useZone } from "../api/hooks";
import { moment } from "../lib/format";
import { Failure, Panel, Skeleton } from "../parts/basics";
import { DataTable } from "../parts/DataTable";
import { useEditing } from "./editing";

interface Change {
  field: string;
  before: unknown;
  after: unknown;
}

/** Who did what, when. Nothing here can be changed. */
export function LedgerSheet() {
  const { experiment } = useEditing();
  const ledger = useLedger(experiment.key);
  const zone = useZone();
  if (ledger.isPending) return <Skeleton />;
  if (ledger.isError) return <Failure error={ledger.error} again={() => void ledger.refetch()} />;
  return (
    <Panel title="Ledger" note={`${ledger.data.count} entries, the latest first; none can be changed or removed`}>
      <DataTable
        label="Ledger"
        rows={ledger.data.items}
        rowKey={(entry) => ledger.data.items.indexOf(entry)}
        columns={[
          {
            name: "When",
            align: "left",
            className: "whitespace-nowrap",
            value: (entry) => entry.at,
            cell: (entry) => moment(entry.at, zone),
          },
          {
            name: "Who",
            align: "left",
            className: "whitespace-nowrap",
            value: (entry) => entry.by,
            cell: (entry) => entry.by,
          },
          {
            name: "What",
            align: "left",
            className: "w-full",
            value: (entry) => entry.sentence,
            cell: (entry) => (
              <>
                {entry.sentence}
                {((entry.detail.changes ?? []) as Change[]).map((change) => (
                  <div key={change.field} className="quiet text-sm break-words">
                    {change.field.replaceAll("_", " ")}: {shown(change.before)} → {shown(change.after)}
                  </div>
                ))}
              </>
            ),
          },
        ]}
      />
    </Panel>
  );
}

function shown(value: unknown): string {
  if (value === null || value === "") return "empty";
  if (Array.isArray(value)) return value.map((item: { name?: string }) => item.name ?? "").join(" / ");
  return typeof value === "string" ? value : JSON.stringify(value);
}
