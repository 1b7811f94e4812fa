import type { Reading } from "../../api/client";
import { percentText } from "../../lib/format";

/** How the figures are made, in words, with formula and source. */
export function Method({ reading }: { reading: Reading }) {
  const first = reading.comparisons[0];
  const many = reading.comparisons.length > 1;
  return (
    <details className="sheet px-4 py-2">
      <summary className="cursor-pointer font-semibold">How these figures are made</summary>
      <dl className="mt-2 grid gap-2 text-sm [&_dt]:font-semibold">
        <div>
          <dt>p</dt>
          <dd>
            Score test of two rates: z = (r − r₀) / √(r̄(1 − r̄)(1/n + 1/n₀)), r̄ the rate of both together; z² is
            Pearson’s chi-square without continuity correction (Pearson 1900).
            {first &&
              ` Here z = ${reading.comparisons.map((c) => `${c.letter} ${c.statistic.toFixed(3)}`).join(", ")}.`}
          </dd>
        </div>
        <div>
          <dt>Lift and its interval</dt>
          <dd>
            Rate of the variant divided by control’s, minus 1. The interval holds every lift that the same test does not
            reject at {percentText(reading.confidence)}% (Koopman 1984; Miettinen &amp; Nurminen 1985), so it leaves out
            zero exactly when p is under the level.
            {first && ` Critical value ${first.critical_value.toFixed(4)}.`}
          </dd>
        </div>
        {many && (
          <div>
            <dt>Several variants</dt>
            <dd>
              The critical value and the adjusted p hold for all comparisons with control together (Dunnett 1955).
            </dd>
          </div>
        )}
        <div>
          <dt>Rate and its interval</dt>
          <dd>
            Conversions divided by units; Wilson’s score interval for each variant alone (Wilson 1927). Two of them may
            overlap while the lift is clear of zero.
          </dd>
        </div>
        <div>
          <dt>Split</dt>
          <dd>
            Chi-square goodness of fit of the units against the planned shares, alarm under p = 0.001 (Fabijan et al.
            2019).
          </dd>
        </div>
      </dl>
    </details>
  );
}
