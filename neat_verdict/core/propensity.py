"""Two arms compared by the known chances that their units had to see them: cells may be as thin as they like.

Where each of many segments has shares of its own that follow the evidence, an arm has a handful of units in some cells, or none,
and it has few where it looked bad before. What leaves those cells out, or weighs each segment's periods apart, reads the arms by
the luck of their beginnings. Here every cell counts by the chance it was given, whatever came of it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.statistics import Arm

PRIOR_UNITS = 20  # that the level of the arm counts for in each segment's. Common practice, no source


@dataclass(frozen=True, slots=True)
class Cell:
    """Units of a ``day`` (a whole number that only sorts) and ``segment``, ``units`` of them in all arms; two ``arms`` with the
    ``chances`` (above 0, at most 1) that each unit had to see them."""

    day: int
    segment: str
    units: float
    arms: tuple[Arm, Arm]
    chances: tuple[float, float]


@dataclass(frozen=True)
class OverDays:
    """What is known with all cells up to each of the ``days``: ``levels`` and ``variances`` (days x arms) over the mix of
    segments that came, the ``information`` of their comparison in units, its ``unevenness`` (`statistics.skewness`)."""

    days: tuple[int, ...]
    levels: FloatArray
    variances: FloatArray
    information: FloatArray
    unevenness: FloatArray


def levels_over_days(cells: Sequence[Cell]) -> OverDays:
    """Levels of two arms by inverse propensity, day by day.

    Parameters
    ----------
    cells : sequence of Cell
        Not empty, of arms that add up and have a unit each in some cell.

    Returns
    -------
    OverDays
        In each cell the arm's level is what the days before lead to expect, corrected by what its units did, each weighing
        the inverse of its chance: unbiased whatever was expected, also with no unit at all. A day's level is that of its cells by
        their units; days weigh N/√v, v the mean over the day's N units of 1/e₁ + 1/e₀, so that what each adds to the variance of
        the difference follows from how many came, not from the chances, which follow from earlier outcomes. The variance
        of a unit's value around what was expected is pooled over the arms in each segment and over the segments in each arm: by
        cell it would be small where an arm looked bad by chance and was starved.

    References
    ----------
    Horvitz & Thompson (1952), J. Am. Stat. Assoc. 47, 663-685; Robins, Rotnitzky & Zhao (1994), J. Am. Stat. Assoc. 89, 846-866
    (augmented); Hadad, Hirshberg, Zhan, Wager & Athey (2021), Proc. Natl. Acad. Sci. 118, e2014602118 (weights by day).
    """
    table = _Table(cells)
    came = np.bincount(table.day, table.units, len(table.days))
    inverse = 1 / table.chances
    v = np.bincount(table.day, table.units * inverse.sum(axis=1), len(table.days)) / came
    weights = came / np.sqrt(v)
    corrected = table.units[:, None] * table.expected + table.residuals * inverse
    levels = (
        np.stack([np.bincount(table.day, column, len(table.days)) for column in corrected.T], axis=1) / came[:, None]
    )
    whole = np.cumsum(weights)

    a_unit = (weights / came)[table.day, None] * inverse  # what a unit weighs in the sum of the days
    variances = (table.up_to(table.units[:, None] * table.chances * a_unit**2) * table.spreads).sum(axis=1)
    second = np.cumsum(table.by_day(table.n * a_unit**2), axis=0).sum(axis=1)
    third = np.cumsum(table.by_day(table.n * a_unit**3), axis=0)
    with np.errstate(divide="ignore", invalid="ignore"):
        unevenness = np.where(second > 0, (third[:, 0] - third[:, 1]) / second**1.5, 0.0)
    return OverDays(
        table.days,
        np.cumsum(weights[:, None] * levels, axis=0) / whole[:, None],
        variances / whole[:, None] ** 2,
        whole**2 / np.cumsum(came),
        unevenness,
    )


class _Table:
    """Cells as arrays: one row each; two columns, one an arm."""

    def __init__(self, cells: Sequence[Cell]) -> None:
        self.days = tuple(sorted({cell.day for cell in cells}))
        segments = {name: place for place, name in enumerate(sorted({cell.segment for cell in cells}))}
        days = {day: place for place, day in enumerate(self.days)}
        self._shape = (len(days), len(segments), 2)
        self.day: NDArray[np.int64] = np.array([days[cell.day] for cell in cells])
        self._segment: NDArray[np.int64] = np.array([segments[cell.segment] for cell in cells])
        self.units = np.array([float(cell.units) for cell in cells])
        self.chances = np.array([cell.chances for cell in cells], dtype=np.float64)
        arms = [arm for cell in cells for arm in cell.arms]
        self._converts = arms[0].converts
        # A ratio's level counts by its denominators, everything else's by its units.
        lines = [
            (arm.units, arm.units * arm.total_per_level, arm.estimate, arm.squared_error)
            if arm.units and np.isfinite(arm.estimate)
            else (arm.units, 0.0, 0.0, 0.0)
            for arm in arms
        ]
        self.n, self._bases, levels, errors = (
            np.array(lines, dtype=np.float64).reshape(len(cells), 2, 4).transpose(2, 0, 1)
        )
        self._totals = levels * self._bases
        self._errors = np.nan_to_num(errors)

    def by_day(self, values: FloatArray) -> FloatArray:
        """Sums by day and arm."""
        return np.asarray(self._by_cell(values).sum(axis=1))

    def up_to(self, values: FloatArray) -> FloatArray:
        """Sums up to each day, by segment and arm."""
        return np.cumsum(self._by_cell(values), axis=0)

    def _by_cell(self, values: FloatArray) -> FloatArray:
        result = np.zeros(self._shape)
        np.add.at(result, (self.day, self._segment), values)
        return result

    @cached_property
    def _per_unit(self) -> FloatArray:
        """Of each arm its base per unit, over all cells."""
        units = self.n.sum(axis=0)
        return np.where(units > 0, self._bases.sum(axis=0) / np.maximum(units, 1), 1.0)

    @cached_property
    def expected(self) -> FloatArray:
        """The level of each cell as the days before it lead to expect, drawn towards the arm's. On the first day that of both
        arms together."""
        totals, bases = self.up_to(self._totals), self.up_to(self._bases)
        before, under = (np.concatenate([np.zeros((1, *part.shape[1:])), part[:-1]]) for part in (totals, bases))
        arms, arms_under = before.sum(axis=1), under.sum(axis=1)
        known = arms_under.sum(axis=1) > 0
        both, both_under = (
            np.where(known, a.sum(axis=1), b.sum(axis=(1, 2))) for a, b in ((arms, totals), (arms_under, bases))
        )
        prior = PRIOR_UNITS * self._per_unit
        with np.errstate(divide="ignore", invalid="ignore"):
            overall = np.nan_to_num(both / both_under)[:, None]
        arm = (arms + prior * overall) / (arms_under + prior)
        return np.asarray(((before + prior * arm[:, None]) / (under + prior))[self.day, self._segment])

    @cached_property
    def residuals(self) -> FloatArray:
        """Of the units of each cell what they came to beyond what was expected, in all."""
        return (self._totals - self._bases * self.expected) / self._per_unit

    @cached_property
    def spreads(self) -> FloatArray:
        """Variance of a unit's value around what was expected, up to each day, by segment and arm: that of the segment times what
        the arm differs by. Of rates one conversion is added to each arm, so that none seen is not taken for none possible."""
        with np.errstate(divide="ignore", invalid="ignore"):
            within = self.n * self._errors * self.n * (self._bases / self.n / self._per_unit) ** 2
            apart = self.residuals**2 / self.n
        squares, units = self.up_to(np.nan_to_num(within) + np.nan_to_num(apart)), self.up_to(self.n)
        overall = (squares.sum(axis=(1, 2)) / np.maximum(units.sum(axis=(1, 2)), 1))[:, None]
        segments = (squares.sum(axis=2) + PRIOR_UNITS * overall) / (units.sum(axis=2) + PRIOR_UNITS)
        foreseen = (units * segments[:, :, None]).sum(axis=1)
        seen = squares.sum(axis=1) + (1.0 if self._converts else 0.0)
        with np.errstate(divide="ignore", invalid="ignore"):
            factor = np.where(foreseen > 0, seen / foreseen, 1.0)
        return np.asarray(segments[:, :, None] * factor[:, None])
