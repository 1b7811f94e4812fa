import type { ComponentProps } from "react";
import type { Interval } from "../api/client";
import type { Axis } from "../lib/axis";
import type { Column } from "../parts/DataTable";
import { IntervalStrip, StripAxis } from "./IntervalStrip";

type Strip = Omit<ComponentProps<typeof IntervalStrip>, "axis" | "width">;

/** The column of a table in which lifts are drawn on one axis; null for a row that has none, no axis for a table of such rows. */
export function stripColumn<Row>(
  axis: Axis | null,
  width: number,
  strip: (row: Row) => Strip | null,
  written?: (tick: number) => string,
): Column<Row> {
  return {
    name: "Lift, drawn",
    head: (
      <>
        {axis && <StripAxis axis={axis} width={width} {...(written && { written })} />}
        <span className="sr-only">Lift, drawn</span>
      </>
    ),
    width,
    cell: (row) => {
      const drawn = axis && strip(row);
      return drawn && <IntervalStrip {...drawn} axis={axis} width={width} />;
    },
  };
}

/** A lift with its bounds, as three cells of a copied table. */
export function copiedLift<Row>(
  lift: (row: Row) => Interval | null | undefined,
  heads: readonly [string, string, string] = ["lift", "low", "high"],
): NonNullable<Column<Row>["copied"]> {
  return [
    [heads[0], (row) => lift(row)?.estimate],
    [heads[1], (row) => lift(row)?.low],
    [heads[2], (row) => (lift(row)?.high_open ? "inf" : lift(row)?.high)],
  ];
}
