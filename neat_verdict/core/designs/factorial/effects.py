"""Main effects and interactions of a full factorial: contrasts of the combinations' levels, from sufficient statistics.

Every effect is a difference of differences against the base levels, averaged over the other factors, each of whose combinations
weighs the same: of a main effect a difference, of two factors a difference of two, and so on. There are as many as combinations
but one, and together they are the saturated model.

On the log scale (log link) effects are ratios: a main effect a lift, an interaction the ratio of two lifts, 0 where lifts
multiply. Where a level is not clear of 0 (identity link) they are differences, 0 where differences add up.

References: Montgomery (2017), Design and Analysis of Experiments, 9th ed., chapters 5 and 6; Box, Hunter & Hunter (2005),
Statistics for Experimenters, 2nd ed., chapter 5; Collins, Dziak & Li (2009), Psychol. Methods 14, 202-224, for what an
interaction asks for.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy import special

from neat_verdict.core.checks import InputError, check_positive
from neat_verdict.core.factors import Combination, combinations_of
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.statistics import Arm, Interval

# Standard errors by which a level of a mean or a ratio must lie above 0 for its logarithm to be used; the house's choice, no
# source.
CLEAR_OF_ZERO = 4.0
MAX_LOG = 700.0  # beyond which exp overflows


@dataclass(frozen=True, slots=True)
class Estimate:
    """A contrast: its ``lift`` (exp of the contrast of logarithms, less 1) and ``difference`` (contrast of levels), the
    ``statistic`` of the scale that decides, and its two-sided p."""

    lift: Interval
    difference: Interval
    statistic: float
    pvalue: float


@dataclass(frozen=True, slots=True)
class FactorEffect:
    """An effect: of each factor 0 where it has no part in it, else the level that is held against the base."""

    of: Combination
    lift: Interval
    difference: Interval
    statistic: float
    pvalue: float
    adjusted_pvalue: float
    critical_value: float
    on_logs: bool = True

    @property
    def factors(self) -> tuple[int, ...]:
        """Which factors have a part in it."""
        return tuple(at for at, level in enumerate(self.of) if level)

    @property
    def shown(self) -> Interval:
        """On the scale that decides."""
        return self.lift if self.on_logs else self.difference

    def within(self, of: Combination) -> bool:
        """Whether a combination has all the levels that this is an effect of."""
        return all(self.of[at] in (0, of[at]) for at in self.factors)

    @property
    def clear(self) -> bool:
        """Whether it is shown, all effects together."""
        return self.shown.side != 0


def effects_of(counts: Sequence[int]) -> list[Combination]:
    """All effects of factors with so many levels: main effects first, then those of two, and so on."""
    every = [one for one in combinations_of(counts) if any(one)]
    return sorted(every, key=lambda one: sum(map(bool, one)))


def contrast(counts: Sequence[int], of: Combination) -> FloatArray:
    """The weight of every combination in an effect; of those of one sign they add up to 1 in a main effect.

    Raises InputError for a level that there is not, or an effect of nothing.
    """
    if len(of) != len(counts) or not any(of) or any(not 0 <= level < n for level, n in zip(of, counts, strict=False)):
        raise InputError("of", str(of), f"must have a level of each of {len(counts)} factors, not all of them the base")
    weights = np.ones(1)
    # The first factor goes fastest, so that it stands innermost.
    for level, count in zip(of, counts, strict=True):
        own = np.full(count, 1 / count)
        if level:
            own = np.zeros(count)
            own[level], own[0] = 1.0, -1.0
        weights = np.kron(own, weights)
    return weights


def levels_of(arms: Sequence[Arm]) -> tuple[FloatArray, FloatArray]:
    """Levels and their variances. Where a combination has no conversion, or nothing but, half a success and half a failure are
    added in every one (Haldane 1956, Ann. Hum. Genet. 20, 309-311)."""
    if arms[0].converts and any(arm.total in (0, arm.units) for arm in arms):
        units = np.array([arm.units + 1.0 for arm in arms])
        rates = np.array([arm.total + 0.5 for arm in arms]) / units
        return rates, rates * (1 - rates) / units
    return np.array([arm.estimate for arm in arms]), np.array([arm.squared_error for arm in arms])


def on_log_scale(arms: Sequence[Arm]) -> bool:
    """Whether every level lies so far above 0 that lifts are defined and the delta method holds; of rates it always does."""
    levels, variances = levels_of(arms)
    return arms[0].converts or bool(np.all((levels > 0) & (levels**2 > CLEAR_OF_ZERO**2 * variances)))


def estimate(arms: Sequence[Arm], weights: FloatArray, critical_value: float) -> Estimate:
    """A contrast of independent arms. The statistic is normal: levels by the delta method, Wald's interval at the critical value.

    Raises InputError for a critical value that is not above 0.
    """
    c = check_positive("critical_value", critical_value)
    levels, variances = levels_of(arms)
    gap, error = float(weights @ levels), math.sqrt(float(weights**2 @ variances))
    difference = Interval(gap, gap - c * error, gap + c * error) if error > 0 else Interval(gap, -math.inf, math.inf)
    if not on_log_scale(arms):
        z = gap / error if error > 0 else 0.0
        return Estimate(Interval(math.nan, -math.inf, math.inf), difference, z, float(2 * special.ndtr(-abs(z))))
    ratio, width = float(weights @ np.log(levels)), math.sqrt(float(weights**2 @ (variances / levels**2)))
    if not width > 0:
        return Estimate(Interval(math.expm1(ratio), -math.inf, math.inf), difference, 0.0, 1.0)
    lift = Interval(*(math.expm1(min(ratio + side * c * width, MAX_LOG)) for side in (0, -1, 1)))
    z = ratio / width
    return Estimate(lift, difference, z, float(2 * special.ndtr(-abs(z))))
