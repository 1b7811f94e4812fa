"""Sample size and its inverses for rates and means, two arms or many against control, any allocation."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from scipy import optimize, special, stats

from neat_verdict.core.checks import InputError, check_positive, check_probability
from neat_verdict.core.sizing.baseline import Baseline
from neat_verdict.core.sizing.strictness import Strictness
from neat_verdict.core.statistics import Sides, dunnett_critical_value
from neat_verdict.core.variants import MAX_VARIANTS

_MAX_LOG_RANGE = 34.0  # in logarithms: the least lift looked for is 1e-15 of the largest
_LARGE = 1e6  # degrees of freedom from which on Student's t is taken by its expansion


@dataclass(frozen=True, slots=True)
class Arms:
    """Weights of the arms, control first: 2 to 10 positive numbers in any unit (50/50, 2:3:1).

    ``levels`` says of the combinations of several factors, which all weigh the same, how many levels each factor has: what is
    compared then are the levels of a factor, each with all units that have it (Collins, Dziak & Li 2009), as one family with the
    interactions. Raises InputError for fewer than 2 or more than 10 arms, a weight that is not above 0, or levels that do not
    make as many combinations.
    """

    weights: tuple[float, ...]
    levels: tuple[int, ...] = ()

    def __init__(self, weights: Sequence[float], levels: Sequence[int] = ()) -> None:
        if levels and (math.prod(levels) != len(weights) or len(set(weights)) > 1):
            raise InputError(
                "levels", " × ".join(map(str, levels)), f"must make {len(weights)} combinations of one weight"
            )
        object.__setattr__(self, "levels", tuple(levels))
        if not 2 <= len(weights) <= MAX_VARIANTS:
            raise InputError("variants", len(weights), f"must be 2 to {MAX_VARIANTS}, control included")
        object.__setattr__(self, "weights", tuple(check_positive("weight", weight) for weight in weights))

    @classmethod
    def even(cls, count: int) -> Arms:
        """``count`` arms of equal size."""
        return cls((1.0,) * count)

    @property
    def shares(self) -> tuple[float, ...]:
        """Share of the units each arm gets; they add up to 1."""
        total = sum(self.weights)
        return tuple(weight / total for weight in self.weights)

    @property
    def comparisons(self) -> int:
        """Variants held against control."""
        return len(self.weights) - 1

    @property
    def ratio(self) -> float:
        """Units of the smallest variant for each of control: the comparison that asks the most."""
        return min(self.weights[1:]) / self.weights[0]

    @property
    def reference_share(self) -> float:
        """Share of all units that a comparison's reference has: control's, or that of a level of the factor with most of them."""
        return 1 / max(self.levels) if self.levels else self.shares[0]

    @property
    def together(self) -> tuple[float, ...]:
        """Weights by which the comparisons hang together: of factors nothing is assumed, each has a part of the level."""
        return (1.0, 1.0) if self.levels else self.weights

    def confidence_each(self, confidence: float) -> float:
        """The confidence at which ``together`` is read."""
        return 1 - (1 - confidence) / self.comparisons if self.levels else confidence

    @property
    def cells(self) -> Arms:
        """The same arms, each compared by itself."""
        return Arms(self.weights)

    def critical_value(self, confidence: float, sides: Sides = "two") -> float:
        """Critical value for all comparisons with control together (Dunnett; of factors Bonferroni)."""
        if self.levels:
            return dunnett_critical_value(self.confidence_each(confidence), 1.0, [1.0], sides)
        return dunnett_critical_value(confidence, self.weights[0], self.weights[1:], sides)


@dataclass(frozen=True, slots=True)
class SampleSize:
    """``total`` units over all arms and ``per_arm`` (control first), whole numbers, each at least what is needed."""

    total: int
    per_arm: tuple[int, ...]
    critical_value: float


def control_units_needed(p0: float, p1: float, ratio: float, critical_value: float, power: float) -> float:
    """Units in control so that a rate p1 against p0 is distinguished, with ``ratio`` variant units per control unit.

    Fleiss, Levin & Paik (2003), Statistical Methods for Rates and Proportions, 3rd ed., section 4.4, without the
    continuity correction: pooled variance under the null, unpooled under the alternative. Not rounded.
    """
    pooled = (p0 + ratio * p1) / (1 + ratio)
    null = critical_value * math.sqrt(pooled * (1 - pooled) * (1 + 1 / ratio))
    alternative = float(special.ndtri(power)) * math.sqrt(p0 * (1 - p0) + p1 * (1 - p1) / ratio)
    return ((null + alternative) / (p1 - p0)) ** 2


def control_units_for_means(effect: float, ratio: float, critical_value: float, power: float) -> float:
    """Units in control so that two means ``effect`` standard deviations apart are distinguished, by Student's t.

    The normal formula gives the start; the noncentral t distribution (equal variances) the rest: Cohen (1988), Statistical
    Power Analysis for the Behavioral Sciences, 2nd ed., chapter 2. The side away from the effect is left out. Not rounded.
    """
    start = ((critical_value + float(special.ndtri(power))) / effect) ** 2 * (1 + 1 / ratio)

    def shortfall(control: float) -> float:
        return _power_of_means(effect, control, ratio, critical_value) - power

    least = 3.0 / (1 + ratio)  # one degree of freedom
    high = start + 4.0
    while shortfall(high) < 0:
        high *= 1.5
    low = max(least, start * 0.5)
    return low if shortfall(low) >= 0 else float(optimize.brentq(shortfall, low, high, rtol=1e-9))


def _power_of_means(effect: float, control: float, ratio: float, critical_value: float) -> float:
    freedom = control * (1 + ratio) - 2
    noncentral = effect * math.sqrt(control / (1 + 1 / ratio))
    if freedom > _LARGE:
        # Abramowitz & Stegun (1964), 26.7.10 and 26.7.5: good to twelve digits here, where the library's loses some.
        edge = critical_value + (critical_value**3 + critical_value) / (4 * freedom)
        z = (edge * (1 - 1 / (4 * freedom)) - noncentral) / math.sqrt(1 + edge**2 / (2 * freedom))
        return float(special.ndtr(-z))
    edge = float(stats.t.isf(special.ndtr(-critical_value), freedom))
    return float(stats.nct.sf(edge, freedom, noncentral))


def sample_size(
    baseline: Baseline, lift: float, arms: Arms, strictness: Strictness, *, critical_value: float | None = None
) -> SampleSize:
    """Units so that each variant, if its relative lift is ``lift``, differs significantly from control with the power asked for.

    Parameters
    ----------
    baseline : Baseline
        Control's rate, or its mean and standard deviation.
    lift : float
        Relative lift to be seen, not 0; the changed level must be possible.
    arms : Arms
        The split. The smallest variant asks the most, so it settles the total.
    strictness : Strictness
        Confidence for all comparisons together, two-sided, and power for each.
    critical_value : float, optional
        In place of the two-sided one for all comparisons together (Dunnett).

    Raises
    ------
    InputError
        Naming the argument that is out of its range.
    """
    changed = baseline.changed(lift)
    c = critical_value_of(arms, strictness.confidence, critical_value)
    if baseline.standard_deviation is None:
        need = control_units_needed(baseline.value, changed.value, arms.ratio, c, strictness.power)
    else:
        effect = abs(changed.value - baseline.value) / baseline.standard_deviation
        need = control_units_for_means(effect, arms.ratio, c, strictness.power)
    return sized(need, arms, c)


def critical_value_of(arms: Arms, confidence: float, given: float | None) -> float:
    """That of all comparisons together, unless another is ``given`` (above 0). Raises InputError."""
    check_probability("confidence", confidence)
    return arms.critical_value(confidence) if given is None else check_positive("critical_value", given)


def sized(control_units: float, arms: Arms, critical_value: float) -> SampleSize:
    """Whole units for all arms, from those of control."""
    shares = arms.shares
    per_arm = tuple(math.ceil(control_units / arms.reference_share * part - 1e-9) for part in shares)
    return SampleSize(total=sum(per_arm), per_arm=per_arm, critical_value=critical_value)


def power(
    total: float, baseline: Baseline, lift: float, arms: Arms, confidence: float, *, critical_value: float | None = None
) -> float:
    """Chance that the smallest variant's interval clears zero on the side of its true ``lift``, with ``total`` units."""
    changed = baseline.changed(lift)
    control, ratio = check_positive("total", total) * arms.reference_share, arms.ratio
    c = critical_value_of(arms, confidence, critical_value)
    if baseline.standard_deviation is not None:
        return _power_of_means(abs(changed.value - baseline.value) / baseline.standard_deviation, control, ratio, c)
    p0, p1 = baseline.value, changed.value
    pooled = (p0 + ratio * p1) / (1 + ratio)
    null = c * math.sqrt(pooled * (1 - pooled) * (1 + 1 / ratio))
    error = math.sqrt(p0 * (1 - p0) + p1 * (1 - p1) / ratio)
    return float(special.ndtr((abs(p1 - p0) * math.sqrt(control) - null) / error))


def detectable_lift(
    total: float, baseline: Baseline, arms: Arms, strictness: Strictness, *, critical_value: float | None = None
) -> float | None:
    """Minimum detectable effect: the smallest relative lift upwards seen with the power asked for by ``total`` units.

    None where even the largest possible lift would not be seen. The inverse of `sample_size` (same formula, by root finding).
    """
    check_probability("power", strictness.power)
    check_positive("total", total)
    c = critical_value_of(arms, strictness.confidence, critical_value)
    if baseline.standard_deviation is not None and total * arms.reference_share * (1 + arms.ratio) <= 2.001:
        return None
    largest = math.log(baseline.largest_lift)

    def shortfall(log_lift: float) -> float:
        return (
            power(total, baseline, math.exp(log_lift), arms, strictness.confidence, critical_value=c) - strictness.power
        )

    if shortfall(largest) < 0:
        return None
    # On the log scale, for lifts of a millionth are found as well as those of a thousandfold.
    least = largest - _MAX_LOG_RANGE
    return math.exp(optimize.brentq(shortfall, least, largest, xtol=1e-13) if shortfall(least) < 0 else least)
