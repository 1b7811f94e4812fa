"""Means and ratios of sums: their sufficient statistics, and comparisons by Welch's test and Fieller's theorem.

References
----------
Welch (1947), Biometrika 34, 28-35; Fieller (1954), J. R. Stat. Soc. B 16, 175-185; Deng, Knoblich & Lu (2018), KDD, section 3
(the delta method over assignment units).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike
from scipy import special

from neat_verdict.core.checks import InputError
from neat_verdict.core.numeric import FloatArray

_SLACK = 1e-9  # relative: sums that were added up elsewhere may be off in their last digits


def _counted(units: float) -> None:
    if not (math.isfinite(units) and units >= 0 and float(units).is_integer()):
        raise InputError("units", units, "must be a whole number, 0 or more")


def _finite(field: str, value: float) -> None:
    if not math.isfinite(value):
        raise InputError(field, value, "must be a number")


def _squares_hold(field: str, squares: float, total: float, units: float) -> None:
    _finite(field, squares)
    least = total * total / units if units else 0.0
    if squares < least * (1 - _SLACK) or (not units and (total or squares)):
        raise InputError(field, squares, f"must not be under total²/units ({least:.6g})")


@dataclass(frozen=True, slots=True)
class Mean:
    """A mean over units, from sums that add up across disjoint groups.

    Parameters
    ----------
    units : int
        Units exposed, those with nothing included, 0 or more.
    total, total_of_squares : float
        Sums over units of their value and of its square; ``total_of_squares >= total² / units``.

    Raises
    ------
    InputError
        For a count that is not whole, figures that are not finite, or sums that contradict each other.
    """

    units: int
    total: float
    total_of_squares: float

    def __post_init__(self) -> None:
        _counted(self.units)
        _finite("total", self.total)
        _squares_hold("total_of_squares", self.total_of_squares, self.total, self.units)

    def __add__(self, other: Mean) -> Mean:
        return Mean(self.units + other.units, self.total + other.total, self.total_of_squares + other.total_of_squares)

    @property
    def estimate(self) -> float:
        """Mean value of a unit; nan with no units."""
        return self.total / self.units if self.units else math.nan

    @property
    def squared_error(self) -> float:
        """Variance of the estimate; nan with fewer than 2 units."""
        if self.units < 2:
            return math.nan
        spread = max(self.total_of_squares - self.total * self.estimate, 0.0)
        return spread / (self.units - 1) / self.units


@dataclass(frozen=True, slots=True)
class Ratio:
    """A ratio of two sums over the same units, from sums that add up across disjoint groups.

    ``numerator`` and ``denominator`` are sums over units, ``numerator_squares``, ``denominator_squares`` and ``cross`` those of
    their squares and of their product. Raises InputError as `Mean`, and for a product that no such squares allow.
    """

    units: int
    numerator: float
    denominator: float
    numerator_squares: float
    denominator_squares: float
    cross: float

    def __post_init__(self) -> None:
        _counted(self.units)
        _finite("numerator", self.numerator)
        _finite("denominator", self.denominator)
        _squares_hold("numerator_squares", self.numerator_squares, self.numerator, self.units)
        _squares_hold("denominator_squares", self.denominator_squares, self.denominator, self.units)
        _finite("cross", self.cross)
        most = math.sqrt(self.numerator_squares * self.denominator_squares)
        if abs(self.cross) > most * (1 + _SLACK):
            raise InputError("cross", self.cross, f"must lie within ±√(squares × squares) ({most:.6g})")

    def __add__(self, other: Ratio) -> Ratio:
        return Ratio(
            self.units + other.units,
            self.numerator + other.numerator,
            self.denominator + other.denominator,
            self.numerator_squares + other.numerator_squares,
            self.denominator_squares + other.denominator_squares,
            self.cross + other.cross,
        )

    @property
    def estimate(self) -> float:
        """Numerator over denominator; nan with nothing below the line."""
        return self.numerator / self.denominator if self.denominator else math.nan

    @property
    def squared_error(self) -> float:
        """Variance of the estimate by the delta method; nan with fewer than 2 units or nothing below the line."""
        if self.units < 2 or not self.denominator:
            return math.nan
        r = self.estimate
        spread = self.numerator_squares - 2 * r * self.cross + r * r * self.denominator_squares
        return max(spread, 0.0) * self.units / (self.units - 1) / self.denominator**2


def welch_freedom(first: Mean | Ratio, second: Mean | Ratio) -> float:
    """Welch-Satterthwaite degrees of freedom of the difference of two estimates; at least 1."""
    a, b = first.squared_error, second.squared_error
    below = a * a / (first.units - 1) + b * b / (second.units - 1)
    return max((a + b) ** 2 / below, 1.0) if below > 0 else math.inf


def welch_statistic(first: Mean | Ratio, second: Mean | Ratio) -> float:
    """Standard normal statistic of the difference, positive where the first is larger.

    Welch's t turned into the normal value with the same tail, so that means share critical values with rates. 0 where
    neither arm varies. Raises InputError for an arm with fewer than 2 units.
    """
    _enough(first, second)
    spread = math.sqrt(first.squared_error + second.squared_error)
    if spread == 0:
        return 0.0
    t = (first.estimate - second.estimate) / spread
    return math.copysign(_normal_of_t(abs(t), welch_freedom(first, second)), t)


def _normal_of_t(t: float, freedom: float) -> float:
    tail = float(special.stdtr(freedom, -t)) if math.isfinite(freedom) else float(special.ndtr(-t))
    # Tails under 1e-300 are as good as certain; t itself is the larger value and stays comparable.
    return float(-special.ndtri(tail)) if tail > 1e-300 else t


def student_critical_value(critical_value: float, freedom: float) -> float:
    """The value of Student's t with the same tail as a normal critical value."""
    if not math.isfinite(freedom):
        return critical_value
    return -float(special.stdtrit(freedom, float(special.ndtr(-critical_value))))


def _enough(*arms: Mean | Ratio) -> None:
    for arm in arms:
        if not math.isfinite(arm.squared_error):
            raise InputError("units", arm.units, "must be 2 or more, with something below the line, to compare means")


def difference_of_means(first: Mean | Ratio, second: Mean | Ratio, critical_value: float) -> tuple[float, float]:
    """Interval of first minus second; 0 is outside exactly when ``abs(welch_statistic) > critical_value``.

    (-inf, inf) where neither arm varies: equal values tell nothing of the spread, however far apart the arms are.
    """
    _enough(first, second)
    if first.squared_error + second.squared_error == 0:
        return -math.inf, math.inf
    c = student_critical_value(critical_value, welch_freedom(first, second))
    gap = first.estimate - second.estimate
    reach = c * math.sqrt(first.squared_error + second.squared_error)
    return gap - reach, gap + reach


def ratio_of_means(first: Mean | Ratio, second: Mean | Ratio, critical_value: float) -> tuple[float, float]:
    """Fieller's interval of first divided by second; 1 is outside exactly when ``abs(welch_statistic) > critical_value``.

    (-inf, inf) where the second is not clear of zero on the positive side, or neither arm varies: the ratio is then unbounded.
    """
    _enough(first, second)
    if first.squared_error + second.squared_error == 0:
        return -math.inf, math.inf
    c = student_critical_value(critical_value, welch_freedom(first, second))
    low, high = fieller_interval(first.estimate, first.squared_error, second.estimate, second.squared_error, c)
    return float(low), float(high)


def fieller_interval(
    first: ArrayLike, first_squared_error: ArrayLike, second: ArrayLike, second_squared_error: ArrayLike, c: ArrayLike
) -> tuple[FloatArray, FloatArray]:
    """Fieller's interval elementwise: the ratios that a test of first - ratio x second at ``c`` does not reject."""
    m1, v1, m0, v0, z = (
        np.asarray(part, dtype=np.float64) for part in (first, first_squared_error, second, second_squared_error, c)
    )
    a = m0**2 - z**2 * v0
    bounded = (a > 0) & (m0 > 0)
    safe = np.where(bounded, a, 1.0)
    half = m1 * m0
    # b² - 4ac over 4, written so that nothing large cancels: z² (v1 m0² + v0 m1² - z² v1 v0).
    root = z * np.sqrt(np.maximum(v1 * m0**2 + v0 * m1**2 - z**2 * v1 * v0, 0.0))
    low, high = (half - root) / safe, (half + root) / safe
    return np.where(bounded, low, -np.inf), np.where(bounded, high, np.inf)
