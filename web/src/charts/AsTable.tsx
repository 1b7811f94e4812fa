import { useState } from "react";
import type { Cell } from "../lib/tableText";
import { DataTable } from "../parts/DataTable";

interface Props<Point> {
  /** What the table holds, for those who hear it. */
  label: string;
  points: readonly Point[];
  /** The first names the point, each by another value. `value` is what is sorted and copied; it is shown where there is no `text`. */
  columns: readonly {
    name: string;
    value: (point: Point) => Cell | null | undefined;
    text?: (point: Point) => string;
  }[];
}

/** The values of a chart for the keyboard and the ear, to be copied; made when it is opened. */
export function AsTable<Point extends object>({ label, points, columns }: Props<Point>) {
  const [open, setOpen] = useState(false);
  return (
    <details className="no-print text-sm" onToggle={(event) => setOpen(event.currentTarget.open)}>
      <summary className="quiet w-fit h-6 cursor-pointer leading-6">As a table</summary>
      {open && (
        <DataTable<Point>
          label={label}
          rows={points}
          rowKey={(point) => columns[0]?.value(point) ?? ""}
          maxHeight="16rem"
          columns={columns.map(({ name, value, text }, index) => ({
            name,
            value,
            cell: (point) => text?.(point) ?? value(point),
            align: index === 0 ? "left" : "right",
            hideable: index > 0,
          }))}
        />
      )}
    </details>
  );
}
