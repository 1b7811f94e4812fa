import { Skeleton } from "../parts/basics";

/** While the standing is read: nothing to press yet, since all of it would move down under the pointer. */
export function StandingSkeleton() {
  return (
    <aside aria-label="Standing" className="min-w-0">
      <Skeleton rows={6} />
    </aside>
  );
}
