import type { ReactNode } from "react";
import type { Reading } from "../../api/client";
import { methodNamed } from "../../api/vocabulary";
import { percentText } from "../../lib/format";
import { capital, isQuantile } from "../../lib/metrics";

/** How the figures are made, in words, with formula and source: for this kind of metric and this rule. */
export function Method({ reading }: { reading: Reading }) {
  const several = reading.comparisons.length > 1;
  const { several_note: severalNote } = methodNamed(reading.method);
  return (
    <details className="sheet px-4 py-2">
      <summary className="cursor-pointer font-semibold">How these figures are made</summary>
      <dl className="mt-2 grid gap-2 text-sm [&_dt]:font-semibold">
        {reading.stratified_by ? (
          <StratifiedTest reading={reading} />
        ) : reading.kind === "rate" ? (
          <RateTest reading={reading} />
        ) : (
          <MeanTest reading={reading} />
        )}
        <WayOfReading reading={reading} />
        {several && severalNote && <Entry title="Several variants">{severalNote}</Entry>}
        {reading.variance_removed != null && reading.adjusted_by_days != null && (
          <Entry title="Adjustment by what came before">
            Each value y becomes y − θ(x − x̄), x what the unit came to in the {reading.adjusted_by_days} days before, θ
            the slope within the variants (Deng, Xu, Kohavi &amp; Walker 2013; Lin 2013). It takes{" "}
            {(reading.variance_removed * 100).toFixed(1)}% of the variance.
          </Entry>
        )}
        {reading.secondary.some((metric) => metric.role === "secondary") && (
          <Entry title="Secondary and guardrail metrics">
            The secondary metrics and all their variants are one family, adjusted by Holm (1979) or Benjamini &amp;
            Hochberg (1995) as the rule says; each interval is made at the level at which its test stands or falls
            (Benjamini &amp; Yekutieli 2005). Guardrails are read at the rule’s confidence.
          </Entry>
        )}
        <Entry title="By week of first exposure">
          The same lift for units first seen in each week; the trend is a straight line through the log ratios, weighted
          by their inverse variances, its slope tested against zero.
        </Entry>
        <Entry title="Segments">
          The same lift in each segment at the rule’s confidence, unadjusted. Whether they differ: score statistics
          against the one ratio that fits all best (Gart 1985), which take a segment without conversions too. Partially
          pooled: log ratios normal about their mean, the spread between segments integrated over (Gelman 2006).
          Stratified estimate: rates by Mantel &amp; Haenszel (1959), Σ(x₁n₀/N)/Σ(x₀n₁/N) over the segments, its error
          by Greenland &amp; Robins (1985); means and ratios by inverse variance. If rolled out to this segment only,
          per month: the segment’s absolute difference times its part of thirty days’ units.
        </Entry>
        <Entry title="Steps, spend and impressions">
          A step is a rate of the units that reached the one before. Cost of a conversion is cost over conversions; what
          a thousand impressions bring is the total over views; their intervals are the metric’s, turned, with spend and
          impressions taken as known.
        </Entry>
        <Entry title="Split">
          Chi-square goodness of fit of the units against the planned shares, alarm under p = 0.001 (Fabijan et al.
          2019).
        </Entry>
      </dl>
    </details>
  );
}

function Entry({ title, children }: { title: string; children: ReactNode }) {
  return (
    <div>
      <dt>{title}</dt>
      <dd>{children}</dd>
    </div>
  );
}

function statistics(reading: Reading): string {
  const values = reading.comparisons.map((c) => `${c.letter} ${c.statistic.toFixed(3)}`).join(", ");
  return values && ` Here z = ${values}.`;
}

function standard(reading: Reading): string {
  const first = reading.comparisons[0];
  return first ? ` Critical value ${first.critical_value.toFixed(4)}.` : "";
}

function RateTest({ reading }: { reading: Reading }) {
  return (
    <>
      <Entry title="p">
        Score test of two rates: z = (r − r₀) / √(r̄(1 − r̄)(1/n + 1/n₀)), r̄ the rate of both together; z² is Pearson’s
        chi-square without continuity correction (Pearson 1900).{statistics(reading)}
      </Entry>
      {!methodNamed(reading.method).credible && (
        <Entry title="Lift and its interval">
          Rate of the variant divided by control’s, minus 1. The interval holds every lift that the same test does not
          reject at {percentText(reading.interval_confidence)}% (Koopman 1984; Miettinen &amp; Nurminen 1985), so it
          leaves out zero exactly when p is under the level.{standard(reading)}
        </Entry>
      )}
      <Entry title="Rate and its interval">
        Conversions divided by units; Wilson’s score interval for each variant alone (Wilson 1927). Two of them may
        overlap while the lift is clear of zero.
      </Entry>
    </>
  );
}

function StratifiedTest({ reading }: { reading: Reading }) {
  return (
    <>
      <Entry title={`Post-stratified by ${reading.stratified_by}`}>
        The variants are compared within each segment, and the segments are combined by their parts π of all units: m =
        Σπr, v = Σπ²r(1 − r)/n with one success and one failure added (Miratrix, Sekhon &amp; Yu 2013). Segments with
        fewer than 50 units in a variant are put together.
      </Entry>
      <Entry title="p, lift and its interval">
        z = (m − m₀) / √(v + v₀).{statistics(reading)} The lift is m over m₀, minus 1, by Fieller’s theorem with the
        same test (Fieller 1954): it leaves out zero exactly when p is under the level.{standard(reading)}
      </Entry>
      <Entry title="Rate and its interval">
        Conversions divided by units, of all units as they came, so that their ratio is not quite the lift; Wilson’s
        score interval for each variant alone (Wilson 1927).
      </Entry>
    </>
  );
}

function MeanTest({ reading }: { reading: Reading }) {
  const ratio = reading.kind === "ratio";
  const level = capital(reading.kind);
  return (
    <>
      <Entry title="p">
        Welch’s test of two {reading.kind}s: t = (m − m₀) / √(v + v₀), v the squared standard error, turned into the
        normal value with the same tail (Welch 1947).
        {ratio &&
          " A ratio of sums r = Σa/Σb has v = (Σa² − 2rΣab + r²Σb²)·n/(n − 1)/(Σb)² (Deng, Knoblich & Lu 2018)."}
        {isQuantile(reading.kind) &&
          " The standard error of a quantile is read off the values 1.96 standard errors of its share to either side (Woodruff 1952)."}
        {statistics(reading)}
      </Entry>
      <Entry title="Lift and its interval">
        {level} of the variant divided by control’s, minus 1, by Fieller’s theorem with the same test (Fieller 1954): it
        leaves out zero exactly when p is under the level.{standard(reading)}
      </Entry>
      <Entry title={`${level} and its interval`}>
        {ratio
          ? "One sum over the other"
          : isQuantile(reading.kind)
            ? "Over the units that have a value, from a histogram whose buckets are at most 1/32 of their values wide"
            : "Total divided by units, zeros included"}
        ; Student’s interval for each variant alone.
      </Entry>
    </>
  );
}

function WayOfReading({ reading }: { reading: Reading }) {
  const loss = reading.comparisons
    .filter((c) => c.expected_loss != null)
    .map((c) => `${c.letter} ${((c.expected_loss ?? 0) * 100).toFixed(3)}%`)
    .join(", ");
  const { note } = methodNamed(reading.method);
  if (!note && !reading.one_sided) return null;
  return (
    <Entry title="When and how it is read">
      {note}
      {reading.one_sided && " One-sided: the confidence holds for the bound that decides."}
      {loss && ` Expected loss here: ${loss}.`}
    </Entry>
  );
}
