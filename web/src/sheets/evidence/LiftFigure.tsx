import type { ComponentProps } from "react";
import type { Interval } from "../../api/client";
import { bounds } from "../../lib/format";
import { Figured } from "./DerivationCard";

type Props = Omit<ComponentProps<typeof Figured>, "children" | "experiment"> & {
  lift: Interval | null | undefined;
  /** Without it the figure does not open its derivation. */
  experiment: string | undefined;
  strong?: boolean;
  /** Shown where there is no lift. */
  missing?: string;
};

/** A lift that opens its derivation, its interval below. */
export function LiftFigure({ lift, experiment, strong = false, missing = "–", ...asked }: Props) {
  if (!lift) return missing;
  const estimate = strong ? <span className="font-semibold">{lift.estimate_text}</span> : lift.estimate_text;
  return (
    <>
      {experiment === undefined ? (
        estimate
      ) : (
        <Figured experiment={experiment} {...asked}>
          {estimate}
        </Figured>
      )}
      <span className="quiet block text-xs">{bounds(lift)}</span>
    </>
  );
}
