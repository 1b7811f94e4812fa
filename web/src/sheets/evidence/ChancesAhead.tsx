import type { Reading } from "../../api/client";
import { probability } from "../../lib/format";
import { Figured } from "./DerivationCard";

/** The plain probability of each variant to be better than control, with what it does and does not mean. */
export function ChancesAhead({ reading, experiment }: { reading: Reading; experiment: string }) {
  const known = reading.comparisons.filter((one) => one.chance != null);
  if (known.length === 0) return null;
  return (
    <p className="mt-1 text-sm">
      Probability to be better than A:{" "}
      {known.map((one, place) => (
        <span key={one.letter}>
          {place > 0 && ", "}
          {one.letter}{" "}
          <Figured
            experiment={experiment}
            figure="chance_ahead"
            variant={one.letter}
            label={`Probability of ${one.letter} to be better than A`}
          >
            {probability(one.chance ?? 0)}
          </Figured>
        </span>
      ))}
      . <span className="quiet">{reading.chance_meaning}</span>
    </p>
  );
}
