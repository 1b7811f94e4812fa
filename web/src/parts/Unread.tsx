import { useNotices } from "../api/running";

/** How many notices are new. */
export function Unread() {
  const { data } = useNotices();
  const unread = data?.unread ?? 0;
  if (unread === 0) return null;
  return (
    <span className="rounded bg-primary px-1.5 text-xs font-semibold text-primary-content">
      {unread}
      <span className="sr-only"> new</span>
    </span>
  );
}
