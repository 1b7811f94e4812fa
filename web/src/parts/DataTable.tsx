import {
  columnVisibilityFeature,
  createSortedRowModel,
  rowSortingFeature,
  tableFeatures,
  useTable,
  type Column as TableColumn,
  type ColumnDef,
} from "@tanstack/react-table";
import { useMemo, type ReactNode } from "react";
import { Button, Menu, MenuItem, MenuTrigger, Popover } from "react-aria-components";
import { tableText, type Cell } from "../lib/tableText";
import { CopyTable } from "./CopyTable";
import { TermMark } from "./Term";

/** A column: what a cell shows, what it sorts by, and what of it is copied. */
export interface Column<Row> {
  /** Name of the column: its head where `head` is not given, in the list of columns and in copies. */
  name: string;
  head?: ReactNode;
  /** Word of the glossary that explains the column. */
  term?: string;
  cell: (row: Row, index: number) => ReactNode;
  /** Value that the column sorts by and that is copied; a column without one does neither. */
  value?: (row: Row) => Cell | null | undefined;
  /** Copied in place of `value`, where a cell holds several figures: their heads and values. */
  copied?: readonly (readonly [string, (row: Row) => Cell | null | undefined])[];
  /** Figures stand right, words left. */
  align?: "left" | "right";
  className?: string;
  width?: number;
  /** Classes of head and cells, to leave a column out of narrow screens. */
  responsive?: string;
  /** False for columns without which a row means nothing. */
  hideable?: boolean;
  /** False where the order of the rows is part of what the table says. */
  sortable?: boolean;
}

interface Props<Row> {
  /** What the table holds, for those who hear it. */
  label: string;
  rows: readonly Row[];
  columns: readonly Column<Row>[];
  rowKey: (row: Row) => string | number;
  rowClass?: (row: Row) => string;
  /** False where there is nothing to copy. */
  copy?: boolean;
  /** False where the order of the rows is part of what the table says. */
  sortable?: boolean;
  /** Rows that stay last whatever the order, such as totals. */
  totals?: readonly Row[];
  /** What stands below the table, before the button that copies it. */
  below?: ReactNode;
  /** Height at which the rows scroll below a head that stays, in CSS. */
  maxHeight?: string;
}

const features = tableFeatures({
  columnVisibilityFeature,
  rowSortingFeature,
  sortedRowModel: createSortedRowModel(),
});

/** The table of the product: sorted by a click on a head, copied as shown, its columns chosen, its head in view. */
export function DataTable<Row extends object>({
  label,
  rows,
  columns,
  rowKey,
  rowClass,
  copy = true,
  sortable = true,
  totals = [],
  below,
  maxHeight,
}: Props<Row>) {
  const data = useMemo(() => [...rows], [rows]);
  const definitions = useMemo(
    () =>
      columns.map(({ name, value, sortable: sorts = true, hideable = true }): ColumnDef<typeof features, Row> => ({
        id: name,
        accessorFn: (row) => value?.(row) ?? undefined,
        enableSorting: sortable && sorts && value !== undefined,
        enableHiding: hideable,
        sortFn: compareCells,
        sortUndefined: "last",
      })),
    [columns, sortable],
  );
  const table = useTable({ features, columns: definitions, data, getRowId: (row) => String(rowKey(row)) });
  const byName = new Map(columns.map((column) => [column.name, column]));
  const shown = table.getVisibleLeafColumns().flatMap((column) => {
    const own = byName.get(column.id);
    return own ? [{ column, own }] : [];
  });
  const sorted = table.getRowModel().rows;
  const text = () => {
    const parts = shown.flatMap(({ own }) => own.copied ?? (own.value ? [[own.name, own.value] as const] : []));
    return tableText(
      parts.map(([head]) => head),
      [...sorted.map((row) => row.original), ...totals].map((row) => parts.map(([, value]) => value(row) ?? "")),
    );
  };
  const line = (row: Row, key: string, index: number) => (
    <tr key={key} className={`border-b border-base-300 align-top last:border-b-0 ${rowClass?.(row) ?? ""}`}>
      {shown.map(({ own }, place) => {
        // What the row is about stands first, and is said with each of its cells.
        const Cell = place === 0 && own.align === "left" ? "th" : "td";
        return (
          <Cell
            key={own.name}
            scope={Cell === "th" ? "row" : undefined}
            className={`px-1 py-1.5 first:pl-0 last:pr-0 ${own.align === "left" ? "text-left" : ""} ${own.className ?? ""} ${own.responsive ?? ""}`}
          >
            {own.cell(row, index)}
          </Cell>
        );
      })}
    </tr>
  );
  const hideable = table.getAllLeafColumns().filter((column) => column.getCanHide());
  return (
    <>
      <div
        className={maxHeight ? "overflow-auto" : "overflow-x-auto"}
        style={maxHeight ? { maxHeight } : undefined}
        tabIndex={0}
        role="region"
        aria-label={label}
      >
        <table className="w-full text-right">
          <thead className="quiet sticky top-0 z-[1] bg-base-100 text-xs">
            <tr className="border-b border-base-300">
              {shown.map(({ column, own }) => {
                const direction = column.getIsSorted();
                return (
                  <th
                    key={own.name}
                    scope="col"
                    className={`px-1 py-1 font-normal first:pl-0 last:pr-0 ${own.align === "left" ? "text-left" : ""} ${own.responsive ?? ""}`}
                    style={own.width ? { width: own.width } : undefined}
                    aria-sort={direction === "asc" ? "ascending" : direction === "desc" ? "descending" : undefined}
                  >
                    {column.getCanSort() ? (
                      <button
                        className={`min-h-6 min-w-6 cursor-pointer hover:underline ${own.align === "left" ? "text-left" : "text-right"}`}
                        title={`Sort by ${own.name}`}
                        onClick={column.getToggleSortingHandler()}
                      >
                        {own.head ?? own.name}
                        {direction && <span aria-hidden> {direction === "asc" ? "↑" : "↓"}</span>}
                      </button>
                    ) : (
                      (own.head ?? own.name)
                    )}
                    <TermMark name={own.term} />
                  </th>
                );
              })}
            </tr>
          </thead>
          <tbody>{sorted.map((row) => line(row.original, row.id, row.index))}</tbody>
          {totals.length > 0 && (
            <tfoot className="border-t border-neutral">
              {totals.map((row, index) => line(row, String(rowKey(row)), rows.length + index))}
            </tfoot>
          )}
        </table>
      </div>
      {(copy || below) && (
        <div className="quiet mt-1.5 flex flex-wrap items-center justify-end gap-2 text-sm">
          {below && <div className="grow">{below}</div>}
          {copy && <CopyTable text={text} />}
          {copy && hideable.length > CHOOSE_FROM && <ColumnChoice columns={hideable} />}
        </div>
      )}
    </>
  );
}

/** Columns that can be hidden are offered from more than this many on. */
const CHOOSE_FROM = 3;

/** Numbers by size, words by the alphabet of the reader. */
function compareCells<Row extends { getValue: (column: string) => unknown }>(a: Row, b: Row, column: string): number {
  const [x, y] = [a.getValue(column), b.getValue(column)];
  return typeof x === "number" && typeof y === "number" ? x - y : String(x).localeCompare(String(y));
}

type Hideable = Pick<TableColumn<typeof features, object>, "id" | "getIsVisible" | "toggleVisibility">;

function ColumnChoice({ columns }: { columns: readonly Hideable[] }) {
  return (
    <MenuTrigger>
      <Button className="btn btn-xs">Columns</Button>
      <Popover className="sheet p-1">
        <Menu
          aria-label="Columns"
          className="outline-none"
          selectionMode="multiple"
          selectedKeys={columns.filter((column) => column.getIsVisible()).map((column) => column.id)}
          onSelectionChange={(chosen) => {
            for (const column of columns) column.toggleVisibility(chosen === "all" || chosen.has(column.id));
          }}
        >
          {columns.map((column) => (
            <MenuItem
              key={column.id}
              id={column.id}
              className="flex cursor-pointer gap-2 rounded px-2 py-0.5 text-sm outline-none data-focused:bg-base-200"
            >
              {({ isSelected }) => (
                <>
                  <span aria-hidden className="w-3">
                    {isSelected ? "✓" : ""}
                  </span>
                  {column.id}
                </>
              )}
            </MenuItem>
          ))}
        </Menu>
      </Popover>
    </MenuTrigger>
  );
}
