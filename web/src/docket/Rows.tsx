import { useWindowVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useLayoutEffect, useRef, useState } from "react";
import type { DocketRow } from "../api/client";
import type { Axis } from "../lib/axis";
import { Row } from "./Row";

const ROW = 47; // pixels, until it is known
const AROUND = 30; // rows above and below the window

interface Props {
  rows: DocketRow[];
  axis: Axis;
  /** Of all groups together the last; called when its end comes into sight. */
  more?: (() => void) | undefined;
  selected?: ReadonlySet<string> | undefined;
  toggle: (key: string) => void;
}

/** A list of rows, of which those near the window are there. */
export function Rows({ rows, axis, more, selected, toggle }: Props) {
  const list = useRef<HTMLUListElement>(null);
  const [top, setTop] = useState(0);
  useLayoutEffect(() => {
    const place = () => setTop(list.current?.offsetTop ?? 0);
    place();
    const watch = new ResizeObserver(place);
    watch.observe(document.body);
    return () => watch.disconnect();
  }, []);
  const virtual = useWindowVirtualizer({
    count: rows.length,
    estimateSize: () => ROW,
    overscan: AROUND,
    scrollMargin: top,
    getItemKey: (index) => rows[index]?.key ?? index,
  });
  const items = virtual.getVirtualItems();
  const last = items.at(-1)?.index ?? -1;
  useEffect(() => {
    if (more && last >= rows.length - 1) more();
  }, [more, last, rows.length]);
  const before = (items[0]?.start ?? top) - top;
  const after = virtual.getTotalSize() - (items.at(-1)?.end ?? top) + top;
  return (
    <ul ref={list} className="sheet" style={{ paddingTop: before, paddingBottom: after }}>
      {items.map((item) => {
        const row = rows[item.index];
        return (
          row && (
            <li
              key={row.key}
              ref={virtual.measureElement}
              data-index={item.index}
              aria-setsize={rows.length}
              aria-posinset={item.index + 1}
              className="flex items-stretch border-b border-base-300 last:border-b-0"
            >
              {selected && (
                <label className="flex w-9 shrink-0 cursor-pointer items-center justify-center">
                  <input
                    type="checkbox"
                    className="checkbox checkbox-sm"
                    aria-label={`Select ${row.name}`}
                    checked={selected.has(row.key)}
                    onChange={() => toggle(row.key)}
                  />
                </label>
              )}
              <Row row={row} axis={axis} />
            </li>
          )
        );
      })}
    </ul>
  );
}
