"""One variant against another: everything the screens and the verdict need, from one statistic."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from neat_verdict.core.checks import InputError, check_positive, check_share, check_sign
from neat_verdict.core.statistics.dunnett import dunnett_critical_value, dunnett_pvalue, two_sided_critical_value
from neat_verdict.core.statistics.interval import Interval
from neat_verdict.core.statistics.posterior import Posterior
from neat_verdict.core.statistics.skewness import Skewness

if TYPE_CHECKING:
    from neat_verdict.core.statistics.arms.base import Arm


@dataclass(frozen=True, slots=True)
class Comparison:
    """A variant held against a reference.

    ``difference`` is absolute (share points as a share), ``lift`` relative (ratio of levels minus 1); both invert the
    test behind ``statistic``. ``pvalue`` is for this comparison alone, ``adjusted_pvalue`` for all of the experiment's.
    ``exact_pvalue`` (Boschloo, unadjusted) stands beside it where an expected count is under 5. ``posterior`` is there under a
    rule that reads by it; ``lift`` then has the bounds of its credible interval. ``skewness`` is what was taken out of the
    statistic; None of rates, and where third moments are not known. ``null_skewness`` is that of a statistic of rates if nothing
    differed, under a one-sided rule, whose critical value and p allow for it; 0 elsewhere. ``margin_statistic`` and
    ``margin_pvalue`` are those of "the lift lies beyond the margin" (positive speaks for lying within), adjusted as the other,
    where the question is about one.
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
    skewness: Skewness | None = None
    null_skewness: float = 0.0
    margin_statistic: float | None = None
    margin_pvalue: float | None = None

    @property
    def error(self) -> float:
        """Standard error of the difference, as the interval has it."""
        return (self.difference.high - self.difference.low) / (2 * self.critical_value)

    @property
    def known(self) -> bool:
        """Whether there was enough to compare (`nothing_known`)."""
        return not math.isnan(self.difference.estimate)

    @property
    def separate(self) -> bool:
        """Whether the interval of the difference leaves out zero."""
        return self.difference.side != 0


def comparable(arms: Sequence[Arm]) -> bool:
    """Whether each arm has enough to be compared: a unit of a rate, two of a mean, and of a ratio a denominator above 0."""
    return all(arm.comparable for arm in arms)


def compare_many(
    pairs: Sequence[tuple[Arm, Arm]], critical_values: Sequence[float], adjusted_pvalues: Sequence[float] | None = None
) -> list[Comparison]:
    """Compare pairs of (variant, reference), each at its own critical value. Kinds may differ from pair to pair.

    Raises TypeError for a pair of different kinds, InputError for arms with too little to compare.
    """
    for c in critical_values:
        check_positive("critical_values", c)
    for p in adjusted_pvalues or ():
        check_share("adjusted_pvalues", p)
    places: dict[type[Arm], list[int]] = {}
    for place, pair in enumerate(pairs):
        places.setdefault(_kind(*pair), []).append(place)
    result: dict[int, Comparison] = {}
    for kind, mine in places.items():
        made = kind.compare([pairs[place] for place in mine], [critical_values[place] for place in mine])
        result.update(zip(mine, made, strict=True))
    done = [result[place] for place in range(len(pairs))]
    if adjusted_pvalues is None:
        return done
    return [replace(one, adjusted_pvalue=p) for one, p in zip(done, adjusted_pvalues, strict=True)]


def _kind(variant: Arm, reference: Arm) -> type[Arm]:
    if type(variant) is not type(reference):
        raise TypeError(f"a {type(variant).__name__} cannot be compared with a {type(reference).__name__}")
    return type(variant)


def compare_arms(
    variant: Arm, reference: Arm, critical_value: float, adjusted_pvalue: float | None = None
) -> Comparison:
    """Compare two arms of the same kind at a critical value.

    Raises TypeError for arms of different kinds, InputError for arms with too little to compare, a critical value that is not
    above 0 or a p outside [0, 1].
    """
    result = compare_many([(variant, reference)], [check_positive("critical_value", critical_value)])[0]
    if adjusted_pvalue is None:
        return result
    return replace(result, adjusted_pvalue=check_share("adjusted_pvalue", adjusted_pvalue))


def nothing_known(variant: Arm, reference: Arm, critical_value: float) -> Comparison:
    """Two arms with too little to be compared: no estimate, intervals without limits, p 1."""
    anything = Interval(math.nan, -math.inf, math.inf)
    c = check_positive("critical_value", critical_value)
    return Comparison(variant, reference, c, anything, anything, 0.0, 1.0, 1.0, None, 0.0)


def arm_statistic(variant: Arm, reference: Arm) -> float:
    """Standard normal statistic of two arms of the same kind, positive where the variant is higher. Raises TypeError."""
    return _kind(variant, reference).statistic(variant, reference)


def compare_posterior(
    variant: Arm, control: Arm, confidence: float, *, sign: int, margin: float | None = None
) -> Comparison:
    """Compare two arms of the same kind by their posteriors; the test and its interval of the difference stand beside them.

    With a ``margin`` (relative, above 0) the posterior says where the lift lies against it too. Raises TypeError for arms of
    different kinds, InputError for a confidence outside (0, 1) or a margin that is not above 0.
    """
    check_sign(sign)
    tested = compare_arms(variant, control, two_sided_critical_value(confidence))
    posterior = variant.posterior_against(control, confidence, sign, tested)
    if margin is not None:
        check_positive("margin", margin)
        # A level cannot fall by more than all of it.
        above_fall = variant.chance_above(control, 1 - margin) if margin < 1 else 1.0
        above_rise = variant.chance_above(control, 1 + margin)
        above_loss, below_gain = (above_fall, 1 - above_rise) if sign > 0 else (1 - above_rise, above_fall)
        posterior = replace(posterior, above_loss=above_loss, below_gain=below_gain)
    return replace(tested, posterior=posterior, lift=Interval(tested.lift.estimate, posterior.low, posterior.high))


def chances_to_be_best(arms: Sequence[Arm], sign: int) -> tuple[float, ...]:
    """Posterior probability of each arm, all of one kind, to be the best: of rates by Beta posteriors, of others by normal
    ones."""
    return type(arms[0]).chances_to_be_best(arms, sign)


def compare_with_control(control: Arm, variants: Sequence[Arm], confidence: float) -> tuple[Comparison, ...]:
    """Compare each variant with control so that ``confidence`` holds for all intervals together (Dunnett).

    Raises InputError with no variant, with an arm that has too little, or for a confidence outside (0, 1).
    """
    if not variants:
        raise InputError("variants", 0, "must be 1 or more beside the control")
    if not comparable([control, *variants]):
        raise InputError("units", 0, "must be 1 or more in each arm of a comparison")
    sizes = [variant.units for variant in variants]
    critical_value = dunnett_critical_value(confidence, control.units, sizes)
    adjusted = [dunnett_pvalue(arm_statistic(arm, control), control.units, sizes) for arm in variants]
    return tuple(compare_many([(arm, control) for arm in variants], [critical_value] * len(variants), adjusted))
