import { useContext, type ReactNode } from "react";
import { DraftPlace } from "../lib/drafts";

/** Fields of one of several that have fields of the same names. */
export function DraftWithin({ name, children }: { name: string; children: ReactNode }) {
  const place = useContext(DraftPlace);
  return <DraftPlace value={place && `${place}/${name}`}>{children}</DraftPlace>;
}
