"""Two estimates with their variances: Welch's test, and the intervals that invert it.

References
----------
Welch (1947), Biometrika 34, 28-35; Fieller (1954), J. R. Stat. Soc. B 16, 175-185.
"""

from __future__ import annotations

import math
from typing import Protocol, Self

import numpy as np
from numpy.typing import ArrayLike
from scipy import special

from neat_verdict.core.checks import InputError
from neat_verdict.core.numeric import BoolArray, FloatArray
from neat_verdict.core.statistics.skewness import with_skewness, without_skewness


class Estimated(Protocol):
    """Anything with an estimate and its variance, from so many ``replicates``: units, or days.

    ``covariance_with`` another is 0 but where both were seen on the same days; ``freedom_with`` it is None for Welch's.
    """

    @property
    def units(self) -> float: ...

    @property
    def replicates(self) -> float: ...

    @property
    def estimate(self) -> float: ...

    @property
    def squared_error(self) -> float: ...

    def covariance_with(self, other: Self, /) -> float: ...

    def freedom_with(self, other: Self, /) -> float | None: ...


def welch_freedom(first: Estimated, second: Estimated) -> float:
    """Welch-Satterthwaite degrees of freedom of the difference of two estimates; at least 1."""
    paired = first.freedom_with(second)
    if paired is not None:
        return paired
    a, b = first.squared_error, second.squared_error
    below = a * a / (first.replicates - 1) + b * b / (second.replicates - 1)
    return max((a + b) ** 2 / below, 1.0) if below > 0 else math.inf


def error_of_difference(first: Estimated, second: Estimated) -> float:
    """Standard error of first minus second; 0 where neither varies, or both do alike."""
    variance = first.squared_error + second.squared_error - 2 * first.covariance_with(second)
    return math.sqrt(max(variance, 0.0))


def welch_statistic(first: Estimated, second: Estimated, skewness: float = 0.0) -> float:
    """Standard normal statistic of the difference, positive where the first is larger.

    Welch's t, with its ``skewness`` taken out, turned into the normal value with the same tail, so that means share critical
    values with rates. 0 where neither arm varies. Raises InputError for an arm with fewer than 2 units.
    """
    _enough(first, second)
    error = error_of_difference(first, second)
    if error == 0:
        return 0.0
    t = float(without_skewness((first.estimate - second.estimate) / error, skewness))
    return math.copysign(_normal_of_t(abs(t), welch_freedom(first, second)), t)


def _normal_of_t(t: float, freedom: float) -> float:
    tail = float(special.stdtr(freedom, -t)) if math.isfinite(freedom) else float(special.ndtr(-t))
    # Tails under 1e-300 are as good as certain; t itself is the larger value and stays comparable.
    return float(-special.ndtri(tail)) if tail > 1e-300 else t


def student_critical_value(critical_value: float, freedom: float) -> float:
    """The value of Student's t with the same tail as a normal critical value; infinite where that tail is too small for a finite
    value."""
    if not math.isfinite(freedom):
        return critical_value
    t = float(special.stdtrit(freedom, float(special.ndtr(-critical_value))))
    return -t if math.isfinite(t) else math.inf


def critical_values_of(
    first: Estimated, second: Estimated, critical_value: float, skewness: float = 0.0
) -> tuple[float, float]:
    """How many standard errors the interval reaches below the estimate and above it, as `welch_statistic` reads them."""
    c = student_critical_value(critical_value, welch_freedom(first, second))
    return float(with_skewness(c, skewness)), -float(with_skewness(-c, skewness))


def _enough(*arms: Estimated) -> None:
    for arm in arms:
        if not math.isfinite(arm.squared_error):
            raise InputError("units", arm.units, "must be 2 or more, with a denominator above 0, to compare means")


def difference_of_means(
    first: Estimated, second: Estimated, critical_value: float, skewness: float = 0.0
) -> tuple[float, float]:
    """Interval of first minus second; 0 is outside exactly when ``abs(welch_statistic) > critical_value``.

    (-inf, inf) where neither arm varies: equal values say nothing of the variance, however far apart the arms are.
    """
    _enough(first, second)
    error = error_of_difference(first, second)
    if error == 0:
        return -math.inf, math.inf
    below, above = critical_values_of(first, second, critical_value, skewness)
    gap = first.estimate - second.estimate
    return gap - below * error, gap + above * error


def ratio_of_means(
    first: Estimated, second: Estimated, critical_value: float, skewness: float = 0.0
) -> tuple[float, float]:
    """Fieller's interval of first divided by second; 1 is outside exactly when ``abs(welch_statistic) > critical_value``.

    (-inf, inf) where the second is not clear of zero on the positive side, or neither arm varies: the ratio is then unbounded.
    Under any ratio the arms share their shape, so that the skewness of first - ratio x second is that of the difference.
    """
    _enough(first, second)
    if error_of_difference(first, second) == 0:
        return -math.inf, math.inf
    below, above = critical_values_of(first, second, critical_value, skewness)
    low, high = fieller_interval(
        first.estimate, first.squared_error, second.estimate, second.squared_error, below, above,
        first.covariance_with(second),
    )  # fmt: skip
    return float(low), float(high)


def fieller_interval(
    first: ArrayLike,
    first_squared_error: ArrayLike,
    second: ArrayLike,
    second_squared_error: ArrayLike,
    below: ArrayLike,
    above: ArrayLike | None = None,
    covariance: ArrayLike = 0.0,
) -> tuple[FloatArray, FloatArray]:
    """Fieller's interval elementwise: the ratios that a test of first - ratio x second does not reject.

    ``below`` is the critical value on the side of the lower bound, ``above`` on that of the upper; the same where left out.
    """
    m1, v1, m0, v0, c1, c2, both = (
        np.asarray(part, dtype=np.float64)
        for part in (
            first, first_squared_error, second, second_squared_error, below, below if above is None else above, covariance,
        )
    )  # fmt: skip
    reachable = np.isfinite(c1) & np.isfinite(c2)
    c1, c2 = np.where(reachable, c1, 0.0), np.where(reachable, c2, 0.0)
    bounded = reachable & (m0**2 - np.maximum(c1**2, c2**2) * v0 > 0) & (m0 > 0)
    low, high = (_fieller_bound(m1, v1, m0, v0, both, c, bounded) for c in (-c1, c2))
    return np.where(bounded, low, -np.inf), np.where(bounded, high, np.inf)


def fieller_statistic(
    first: FloatArray,
    first_squared_error: FloatArray,
    second: FloatArray,
    second_squared_error: FloatArray,
    ratio: FloatArray,
) -> FloatArray:
    """Statistic of "the first is ``ratio`` times the second", elementwise; 0 where neither varies."""
    error = np.sqrt(first_squared_error + ratio**2 * second_squared_error)
    gap = first - ratio * second
    return np.asarray(np.divide(gap, error, out=np.zeros_like(gap), where=error > 0))


def _fieller_bound(
    m1: FloatArray, v1: FloatArray, m0: FloatArray, v0: FloatArray, both: FloatArray, z: FloatArray, bounded: BoolArray
) -> FloatArray:
    """The ratio whose test has the value -z; ``both`` is the covariance."""
    safe = np.where(bounded, m0**2 - z**2 * v0, 1.0)
    # b² - 4ac over 4, written so that nothing large cancels: z² (v1 m0² + v0 m1² - 2 m1 m0 s - z² (v1 v0 - s²)).
    within = v1 * m0**2 + v0 * m1**2 - 2 * m1 * m0 * both - z**2 * (v1 * v0 - both**2)
    return np.asarray((m1 * m0 - z**2 * both + z * np.sqrt(np.maximum(within, 0.0))) / safe)
