"""One variant against another: everything the screens and the judge need, from one statistic."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from neat_verdict.core.checks import InputError
from neat_verdict.core.estimate.exact import boschloo_pvalue, smallest_expected_count
from neat_verdict.core.estimate.many import dunnett_critical_value, dunnett_pvalue, two_sided_critical_value
from neat_verdict.core.estimate.means import Mean, Ratio, difference_of_means, ratio_of_means, welch_statistic
from neat_verdict.core.estimate.posterior import Posterior, compare_posteriors, normal_expected_loss, normal_superiority
from neat_verdict.core.estimate.rates import Rate
from neat_verdict.core.estimate.score import difference_interval, ratio_interval, score_statistic, two_sided_pvalue

Arm = Rate | Mean | Ratio


@dataclass(frozen=True, slots=True)
class Interval:
    """An estimate with its bounds. ``estimate`` is nan where undefined; a bound may be infinite."""

    estimate: float
    low: float
    high: float


@dataclass(frozen=True, slots=True)
class Comparison:
    """A variant held against a reference.

    ``difference`` is absolute (share points as a share), ``lift`` relative (ratio of rates minus 1); both invert the
    test behind ``statistic``. ``pvalue`` is for this comparison alone, ``adjusted_pvalue`` for all of the experiment's.
    ``exact_pvalue`` (Boschloo, unadjusted) stands beside it where an expected count is under 5. ``posterior`` is there under a
    Bayesian rule; ``lift`` then has the bounds of its credible interval.
    """

    variant: Arm
    reference: Arm
    critical_value: float
    difference: Interval
    lift: Interval
    statistic: float
    pvalue: float
    adjusted_pvalue: float
    exact_pvalue: float | None
    smallest_expected_count: float
    posterior: Posterior | None = None


def compare_rates(
    variant: Rate,
    reference: Rate,
    critical_value: float,
    adjusted_pvalue: float | None = None,
    *,
    pvalue: float | None = None,
) -> Comparison:
    """Compare two rates at a critical value; ``pvalue`` takes the place of the two-sided one, under a one-sided rule.

    Raises InputError when either arm has no units.
    """
    found = _rates_at_once([(variant, reference)], [critical_value])[0]
    if pvalue is not None:
        found = replace(found, pvalue=pvalue, adjusted_pvalue=pvalue)
    return found if adjusted_pvalue is None else replace(found, adjusted_pvalue=adjusted_pvalue)


def _rates_at_once(pairs: Sequence[tuple[Rate, Rate]], critical_values: Sequence[float]) -> list[Comparison]:
    """Many comparisons of rates for little more than the price of one: the intervals are solved for together."""
    columns = [(v.conversions, v.units, r.conversions, r.units) for v, r in pairs]
    x1, n1, x0, n0 = (np.array(column, dtype=np.float64) for column in zip(*columns, strict=True))
    c = np.asarray(critical_values, dtype=np.float64)
    statistics = score_statistic(x1, n1, x0, n0)
    pvalues = two_sided_pvalue(statistics).tolist()
    differences = np.stack(difference_interval(x1, n1, x0, n0, c), axis=1).tolist()
    ratios = np.stack(ratio_interval(x1, n1, x0, n0, c), axis=1).tolist()
    found = []
    for place, (variant, reference) in enumerate(pairs):
        lift = variant.estimate / reference.estimate - 1 if reference.conversions else math.nan
        found.append(
            Comparison(
                variant=variant,
                reference=reference,
                critical_value=critical_values[place],
                difference=Interval(variant.estimate - reference.estimate, *differences[place]),
                lift=Interval(lift, ratios[place][0] - 1, ratios[place][1] - 1),
                statistic=float(statistics[place]),
                pvalue=pvalues[place],
                adjusted_pvalue=pvalues[place],
                exact_pvalue=boschloo_pvalue(variant, reference),
                smallest_expected_count=smallest_expected_count(variant, reference),
            )
        )
    return found


def compare_many(
    pairs: Sequence[tuple[Arm, Arm]], critical_values: Sequence[float], adjusted_pvalues: Sequence[float] | None = None
) -> list[Comparison]:
    """Compare pairs of (variant, reference), each at its own critical value; the same as `compare_arms_at` for each.

    Raises TypeError for a pair of different kinds, InputError for arms with too little to compare.
    """
    found: list[Comparison | None] = [None] * len(pairs)
    rates = [(place, pair) for place, pair in enumerate(pairs) if all(isinstance(arm, Rate) for arm in pair)]
    if rates:
        compared = _rates_at_once([pair for _, pair in rates], [critical_values[place] for place, _ in rates])  # type: ignore[misc]
        for (place, _), one in zip(rates, compared, strict=True):
            found[place] = one
    done = []
    for place, (variant, reference) in enumerate(pairs):
        one = found[place] or compare_arms_at(variant, reference, critical_values[place])
        done.append(one if adjusted_pvalues is None else replace(one, adjusted_pvalue=adjusted_pvalues[place]))
    return done


def compare_means(
    variant: Mean | Ratio,
    reference: Mean | Ratio,
    critical_value: float,
    adjusted_pvalue: float | None = None,
    *,
    pvalue: float | None = None,
) -> Comparison:
    """Compare two means or ratios as `compare_rates` does rates; Raises InputError for an arm with fewer than 2 units."""
    statistic = welch_statistic(variant, reference)
    low, high = difference_of_means(variant, reference, critical_value)
    below, above = ratio_of_means(variant, reference, critical_value)
    lift = variant.estimate / reference.estimate - 1 if reference.estimate > 0 else math.nan
    if pvalue is None:
        pvalue = float(two_sided_pvalue(statistic))
    return Comparison(
        variant=variant,
        reference=reference,
        critical_value=critical_value,
        difference=Interval(variant.estimate - reference.estimate, low, high),
        lift=Interval(lift, below - 1, above - 1),
        statistic=statistic,
        pvalue=pvalue,
        adjusted_pvalue=pvalue if adjusted_pvalue is None else adjusted_pvalue,
        exact_pvalue=None,
        smallest_expected_count=math.inf,
    )


def comparable(arms: Sequence[Arm]) -> bool:
    """Whether each arm has enough to be compared: a unit of a rate, two of a mean, and of a ratio something below the line."""
    return all(arm.units > 0 if isinstance(arm, Rate) else math.isfinite(arm.squared_error) for arm in arms)


def compare_arms_at(
    variant: Arm,
    reference: Arm,
    critical_value: float,
    adjusted_pvalue: float | None = None,
    *,
    pvalue: float | None = None,
) -> Comparison:
    """Compare two arms of the same kind. Raises TypeError for arms of different kinds."""
    if isinstance(variant, Rate) and isinstance(reference, Rate):
        return compare_rates(variant, reference, critical_value, adjusted_pvalue, pvalue=pvalue)
    if isinstance(variant, Rate) or isinstance(reference, Rate) or type(variant) is not type(reference):
        raise TypeError(f"a {type(variant).__name__} cannot be compared with a {type(reference).__name__}")
    return compare_means(variant, reference, critical_value, adjusted_pvalue, pvalue=pvalue)


def arm_statistic(variant: Arm, reference: Arm) -> float:
    """Standard normal statistic of two arms of the same kind, positive where the variant is higher."""
    if isinstance(variant, Rate) and isinstance(reference, Rate):
        return float(score_statistic(variant.conversions, variant.units, reference.conversions, reference.units))
    if isinstance(variant, Rate) or isinstance(reference, Rate):
        raise TypeError(f"a {type(variant).__name__} cannot be compared with a {type(reference).__name__}")
    return welch_statistic(variant, reference)


def compare_posterior(variant: Arm, control: Arm, confidence: float, *, sign: int) -> Comparison:
    """Compare two arms of the same kind by their posteriors; the test and its interval of the difference stand beside them.

    Means and ratios have normal posteriors (flat prior, spread taken as known); their credible interval of the lift is
    Fieller's. Raises TypeError for arms of different kinds, InputError for a confidence outside (0, 1).
    """
    tested = compare_arms_at(variant, control, two_sided_critical_value(confidence))
    if isinstance(variant, Rate) and isinstance(control, Rate):
        posterior = compare_posteriors(variant, control, confidence, sign=sign)
    elif isinstance(variant, Rate) or isinstance(control, Rate):
        raise TypeError("rates are compared with rates")
    else:
        spread = math.sqrt(variant.squared_error + control.squared_error)
        gain = sign * tested.difference.estimate
        scale = abs(control.estimate) or math.nan
        posterior = Posterior(
            superiority=float(normal_superiority(gain, spread)) if spread else 0.5,
            expected_loss=float(normal_expected_loss(gain, spread)) / scale if spread else 0.0,
            expected_loss_of_control=float(normal_expected_loss(-gain, spread)) / scale if spread else 0.0,
            low=tested.lift.low,
            high=tested.lift.high,
        )
    return replace(tested, posterior=posterior, lift=Interval(tested.lift.estimate, posterior.low, posterior.high))


def compare_with_control(control: Rate, variants: Sequence[Rate], confidence: float) -> tuple[Comparison, ...]:
    """Compare each variant with control so that ``confidence`` holds for all intervals together (Dunnett).

    Raises InputError with no variant, with an arm without units, or for a confidence outside (0, 1).
    """
    if not variants:
        raise InputError("variants", 0, "must be 1 or more beside the control")
    sizes = [variant.units for variant in variants]
    if not (control.units and all(sizes)):
        raise InputError("units", 0, "must be 1 or more in each arm of a comparison")
    critical_value = dunnett_critical_value(confidence, control.units, sizes)
    comparisons = []
    for variant in variants:
        statistic = float(score_statistic(variant.conversions, variant.units, control.conversions, control.units))
        adjusted = dunnett_pvalue(statistic, control.units, sizes)
        comparisons.append(compare_rates(variant, control, critical_value, adjusted))
    return tuple(comparisons)
