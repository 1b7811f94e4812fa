"""A mean over units: of a count or an amount, those with nothing included."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from neat_verdict.core.checks import check_count, check_number
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.statistics.arms.averaged import (
    Averaged,
    check_cubes,
    check_squares,
    notation_of,
)
from neat_verdict.core.statistics.arms.base import Notation
from neat_verdict.core.statistics.skewness import if_digits_hold

_LEVEL = "m = Σy/n, v = (Σy² − (Σy)²/n)/(n − 1)/n"


@dataclass(frozen=True, slots=True)
class Mean(Averaged):
    """A mean over units, from sums that add up across disjoint groups.

    Parameters
    ----------
    units : int
        Units exposed, those with nothing included, 0 or more.
    total, total_of_squares : float
        Sums over units of their value and of its square; ``total_of_squares >= total² / units``.
    total_of_cubes : float or None
        Sum of their cubes; None where it is not known.

    Raises
    ------
    InputError
        For a count that is not whole, figures that are not finite, or sums that contradict each other.
    """

    units: int
    total: float
    total_of_squares: float
    total_of_cubes: float | None = None

    skewed: ClassVar[bool] = True
    notation: ClassVar[Notation] = notation_of("mean", _LEVEL, "Total divided by units, those with nothing included.")

    def __post_init__(self) -> None:
        check_count("units", self.units)
        check_number("total", self.total)
        check_squares("total_of_squares", self.total_of_squares, self.total, self.units)
        check_cubes({"total_of_cubes": self.total_of_cubes})

    @property
    def estimate(self) -> float:
        """Mean value of a unit; nan with no units."""
        return self.total / self.units if self.units else math.nan

    @property
    def squared_error(self) -> float:
        """Variance of the estimate; nan with fewer than 2 units."""
        if self.units < 2:
            return math.nan
        squares = max(self.total_of_squares - self.total * self.estimate, 0.0)
        return squares / (self.units - 1) / self.units

    @property
    def deviations(self) -> tuple[float, float] | None:
        if self.total_of_cubes is None or not self.units:
            return None
        return self.known_deviations()

    def inputs(self) -> tuple[tuple[str, float], ...]:
        known = (("n", self.units), ("Σy", self.total), ("Σy²", self.total_of_squares))
        return known if self.total_of_cubes is None else (*known, ("Σy³", self.total_of_cubes))

    @classmethod
    def deviations_of(cls, sums: FloatArray) -> tuple[FloatArray, FloatArray]:
        units, total, squares, cubes = (sums[..., column] for column in range(4))
        level = total / units
        within = np.maximum(squares - total * level, 0)
        terms = np.stack([cubes, -3 * level * squares, 2 * level**2 * total])
        return within, if_digits_hold(units, within, terms.sum(axis=0), np.abs(terms).sum(axis=0))

    @classmethod
    def levels(cls, sums: FloatArray) -> tuple[FloatArray, FloatArray]:
        units, total, squares = (sums[..., column] for column in range(3))
        level = total / units
        return level, np.maximum(squares - total * level, 0) / (units - 1) / units
