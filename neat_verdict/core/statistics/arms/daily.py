"""A ratio of two totals that are known by day only: cost per booking, revenue per thousand impressions, return on spend.

Nothing is known of single units, so that the days are the replicates: the variance comes from how far the days lie apart, and
variants are compared day by day, since what makes a day dear or cheap makes it so for all of them.

References
----------
Cochran (1977), Sampling Techniques, 3rd ed., sections 6.4 (a ratio and its variance) and 6.18 (two ratios whose replicates are
the same); Fieller (1954), J. R. Stat. Soc. B 16, 175-185, with a covariance.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import ClassVar, Self

import numpy as np

from neat_verdict.core.checks import InputError, check_count, check_number
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.statistics.arms.averaged import (
    DIFFERENCE,
    FIELLER,
    LIFT,
    STUDENT,
    Averaged,
    check_product,
    check_squares,
    notation_of,
)
from neat_verdict.core.statistics.arms.base import Notation

LEAST_DAYS = 7  # a whole week, so that every day of the week is among them; the house's choice, no source
_LEVEL = "m = Σa/Σb over days, e = a − m·b, v = Σe²·d/(d − 1)/(Σb)²"
_BOTH = "s = Σe₁e₀·d/(d − 1)/(Σb₁Σb₀), the days’ own doing"
_SOURCE = "; days as replicates: Cochran (1977), Sampling Techniques, sections 6.4 and 6.18"
_PAIRED = "t = (m₁ − m₀)/√(v₁ + v₀ − 2s);  p = 2(1 − F(|t|; d − 1)), F Student’s"


def _notation() -> Notation:
    words = "One total over the other. Each day is one replicate, for nothing is known of single units."
    made = notation_of("ratio", _LEVEL, words, source=_SOURCE)
    lift = LIFT.replace("m₁m₀ ±", "m₁m₀ − c²s ±").replace("− c²v₁v₀", "− 2m₁m₀s − c²(v₁v₀ − s²)")
    return replace(
        made,
        test=f"{_LEVEL};  {_BOTH};  {_PAIRED}",
        test_source=STUDENT + _SOURCE,
        lift=f"{_LEVEL};  {_BOTH};  {lift}",
        lift_source=f"{FIELLER}, with a covariance{_SOURCE}",
        difference=f"{_LEVEL};  {_BOTH};  {DIFFERENCE.replace('v₁ + v₀', 'v₁ + v₀ − 2s')}",
        difference_source=STUDENT + _SOURCE,
        replicate="day",
        verbs=("has a higher", "has a lower"),
    )


@dataclass(frozen=True, slots=True)
class DailyTotals(Averaged):
    """Sums over days of two totals a and b, of their squares and product, and of their products with control's totals of the
    same day, which all add up across disjoint days.

    ``units`` are the units exposed; ``days`` those on which there was anything. ``numerators`` is Σa·a₀, ``numerator_below``
    Σa·b₀, ``denominator_above`` Σb·a₀ and ``denominators`` Σb·b₀, where a₀ and b₀ are control's; of control itself they are the
    sums of its own squares. Raises InputError for squares that no such totals allow.
    """

    units: int
    numerator: float
    denominator: float
    numerator_squares: float
    denominator_squares: float
    cross: float
    days: int
    numerators: float
    numerator_below: float
    denominator_above: float
    denominators: float

    notation: ClassVar[Notation] = _notation()
    least_replicates: ClassVar[int] = LEAST_DAYS

    def __post_init__(self) -> None:
        check_count("units", self.units)
        check_count("days", self.days)
        check_number("numerator", self.numerator)
        check_number("denominator", self.denominator)
        check_squares("numerator_squares", self.numerator_squares, self.numerator, self.days)
        check_squares("denominator_squares", self.denominator_squares, self.denominator, self.days)
        check_product("cross", self.cross, self.numerator_squares, self.denominator_squares)

    @property
    def estimate(self) -> float:
        """One total over the other; nan with a denominator that is not above 0."""
        return self.numerator / self.denominator if self.denominator > 0 else math.nan

    @property
    def squared_error(self) -> float:
        """Variance of the estimate over days; nan with fewer than `LEAST_DAYS`, or a denominator that is not above 0."""
        if self.days < LEAST_DAYS or not self.denominator > 0:
            return math.nan
        m = self.estimate
        squares = self.numerator_squares - 2 * m * self.cross + m * m * self.denominator_squares
        return max(squares, 0.0) * self.days / (self.days - 1) / self.denominator**2

    @property
    def total(self) -> float:  # type: ignore[override]
        return self.numerator

    @property
    def total_per_level(self) -> float:
        return self.denominator / self.units if self.units else math.nan

    @property
    def replicates(self) -> float:
        return self.days

    @property
    def smallest_count(self) -> float:
        return self.days

    @property
    def _of_control(self) -> bool:
        """Whether these are control's own totals: their products with control's are their squares."""
        own = (self.numerator_squares, self.cross, self.cross, self.denominator_squares)
        return own == (self.numerators, self.numerator_below, self.denominator_above, self.denominators)

    def covariance_with(self, control: Self) -> float:
        """Of this estimate and control's over the days; 0 beside another variant than control, whose product is not known."""
        if not (control._of_control and self.comparable and control.comparable):
            return 0.0
        days, m1, m0 = min(self.days, control.days), self.estimate, control.estimate
        both = self.numerators - m0 * self.numerator_below - m1 * self.denominator_above + m1 * m0 * self.denominators
        result = both * days / (days - 1) / (self.denominator * control.denominator)
        most = math.sqrt(self.squared_error * control.squared_error)
        return min(max(result, -most), most)

    def freedom_with(self, control: Self) -> float | None:
        return min(self.days, control.days) - 1.0

    def inputs(self) -> tuple[tuple[str, float], ...]:
        marks = ("n", "Σa", "Σb", "Σa²", "Σb²", "Σab", "d", "Σaa₀", "Σab₀", "Σba₀", "Σbb₀")
        return tuple(zip(marks, self.sums, strict=True))

    @classmethod
    def deviations_of(cls, sums: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Not known: compared day by day the skewness of a day's total cancels as far as it is common."""
        unknown = np.full(sums.shape[:-1], np.nan)
        return unknown, unknown

    @classmethod
    def levels(cls, sums: FloatArray) -> tuple[FloatArray, FloatArray]:
        above, below, above2, below2, cross, days = (sums[..., column] for column in range(1, 7))
        level = np.where(below > 0, above / below, np.nan)
        squares = np.maximum(above2 - 2 * level * cross + level**2 * below2, 0)
        return level, np.where(days < LEAST_DAYS, np.nan, squares * days / (days - 1) / below**2)

    @classmethod
    def covariances(cls, sums: FloatArray) -> FloatArray:
        level, variance = cls.levels(sums)
        mine = sums[..., 1:, :]
        m1, m0 = level[..., 1:], level[..., :1]
        days = np.minimum(mine[..., 6], sums[..., :1, 6])
        both = mine[..., 7] - m0 * mine[..., 8] - m1 * mine[..., 9] + m1 * m0 * mine[..., 10]
        most = np.sqrt(variance[..., 1:] * variance[..., :1])
        result = both * days / (days - 1) / (mine[..., 2] * sums[..., :1, 2])
        return np.asarray(np.clip(result, -most, most))


def daily_sums(above: FloatArray, below: FloatArray, units: FloatArray) -> FloatArray:
    """Totals by day and arm (days x arms, control first) as the sums of `DailyTotals`, sums x days x arms.

    A day on which an arm has neither total is none of its days. Raises InputError for tables that differ in shape, or totals that
    are not finite.
    """
    for field, table in (("below", below), ("units", units)):
        if table.shape != above.shape:
            raise InputError(field, str(table.shape), f"must have the shape of above, {above.shape}")
    for field, table in (("above", above), ("below", below), ("units", units)):
        if not np.isfinite(table).all():
            raise InputError(field, "not finite", "must be finite")
    there = ((above != 0) | (below != 0)).astype(np.float64)
    a0, b0 = above[:, :1], below[:, :1]
    return np.stack([
        units, above, below, above**2, below**2, above * below, there, above * a0, above * b0, below * a0, below * b0,
    ])  # fmt: skip


@dataclass(frozen=True, slots=True)
class Neighbours:
    """Whether neighbouring days resemble each other: the correlation of a day's difference with that of the day before.

    ``pvalue`` is two-sided, by the normal approximation 1/√days; ``widening`` is by how much the interval would have to be wider
    if the days followed one another so (a first-order autoregression), at least 1.
    """

    correlation: float
    pvalue: float
    days: int
    widening: float


def neighbours(variant: tuple[FloatArray, FloatArray], control: tuple[FloatArray, FloatArray]) -> Neighbours | None:
    """Serial correlation of the days' differences of two ratios; each is (numerators, denominators) by day, in order.

    None with fewer than `LEAST_DAYS` days, a level that is not above 0, or nothing that varies.

    References
    ----------
    Bartlett (1946), J. R. Stat. Soc. Suppl. 8, 27-41, for the error of the correlation; the widening √((1 + r)/(1 - r)): Box,
    Jenkins & Reinsel (2008), Time Series Analysis, section 2.1.
    """
    parts = []
    for above, below in (variant, control):
        if len(above) < LEAST_DAYS or not (above.sum() > 0 and below.sum() > 0):
            return None
        level = above.sum() / below.sum()
        parts.append((above - level * below) / above.sum())
    daily = parts[0] - parts[1]
    spread = float((daily**2).sum())
    if spread == 0:
        return None
    r = float((daily[1:] * daily[:-1]).sum()) / spread
    days = len(daily)
    return Neighbours(
        r, math.erfc(abs(r) * math.sqrt(days / 2)), days, math.sqrt((1 + r) / (1 - r)) if 0 < r < 1 else 1.0
    )
