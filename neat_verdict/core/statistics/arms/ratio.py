"""A ratio of two sums over the same units, such as revenue per order; the delta method over assignment units.

References
----------
Deng, Knoblich & Lu (2018), KDD, section 3.
"""

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
    check_product,
    check_squares,
    notation_of,
)
from neat_verdict.core.statistics.arms.base import Notation
from neat_verdict.core.statistics.skewness import if_digits_hold

_LEVEL = "m = Σa/Σb, v = (Σa² − 2mΣab + m²Σb²)·n/(n − 1)/(Σb)²"
_THIRD = ("numerator_cubes", "squares_cross", "cross_squares", "denominator_cubes")
_DELTA = "; the delta method over units: Deng, Knoblich & Lu (2018)"


@dataclass(frozen=True, slots=True)
class Ratio(Averaged):
    """A ratio of two sums over the same units, from sums that add up across disjoint groups.

    ``numerator`` and ``denominator`` are sums over units, ``numerator_squares``, ``denominator_squares`` and ``cross`` those of
    their squares and of their product; those of third order (a³, a²b, ab², b³) are None where they are not known.
    Raises InputError as `Mean`, and for a product that no such squares allow.
    """

    units: int
    numerator: float
    denominator: float
    numerator_squares: float
    denominator_squares: float
    cross: float
    numerator_cubes: float | None = None
    squares_cross: float | None = None
    cross_squares: float | None = None
    denominator_cubes: float | None = None

    skewed: ClassVar[bool] = True
    notation: ClassVar[Notation] = notation_of(
        "ratio", _LEVEL, "One sum over the other, over the same units.", source=_DELTA
    )

    def __post_init__(self) -> None:
        check_count("units", self.units)
        check_number("numerator", self.numerator)
        check_number("denominator", self.denominator)
        check_squares("numerator_squares", self.numerator_squares, self.numerator, self.units)
        check_squares("denominator_squares", self.denominator_squares, self.denominator, self.units)
        check_product("cross", self.cross, self.numerator_squares, self.denominator_squares)
        check_cubes({name: getattr(self, name) for name in _THIRD})

    @property
    def estimate(self) -> float:
        """Numerator over denominator; nan with a denominator of 0."""
        return self.numerator / self.denominator if self.denominator else math.nan

    @property
    def squared_error(self) -> float:
        """Variance of the estimate by the delta method; nan with fewer than 2 units or a denominator of 0."""
        if self.units < 2 or not self.denominator:
            return math.nan
        r = self.estimate
        squares = self.numerator_squares - 2 * r * self.cross + r * r * self.denominator_squares
        return max(squares, 0.0) * self.units / (self.units - 1) / self.denominator**2

    @property
    def total(self) -> float:  # type: ignore[override]
        return self.numerator

    @property
    def total_per_level(self) -> float:
        return self.denominator / self.units

    @property
    def deviations(self) -> tuple[float, float] | None:
        if self.numerator_cubes is None or not self.denominator:
            return None
        return self.known_deviations()

    def inputs(self) -> tuple[tuple[str, float], ...]:
        marks = ("n", "Σa", "Σb", "Σa²", "Σb²", "Σab", "Σa³", "Σa²b", "Σab²", "Σb³")
        known = zip(marks, self.sums, strict=True)
        return tuple((mark, value) for mark, value in known if not math.isnan(value))

    @classmethod
    def deviations_of(cls, sums: FloatArray) -> tuple[FloatArray, FloatArray]:
        units, above, below, above2, below2, cross, above3, above2below, above_below2, below3 = np.moveaxis(sums, -1, 0)
        r = above / below
        squares = above2 - 2 * r * cross + r**2 * below2
        within = np.maximum(squares, 0)
        terms = np.stack([above3, -3 * r * above2below, 3 * r**2 * above_below2, -(r**3) * below3])
        return within, if_digits_hold(units, within, terms.sum(axis=0), np.abs(terms).sum(axis=0))

    @classmethod
    def levels(cls, sums: FloatArray) -> tuple[FloatArray, FloatArray]:
        units, above, below, above2, below2, cross = (sums[..., column] for column in range(6))
        level = above / below
        squares = above2 - 2 * level * cross + level**2 * below2
        return level, np.maximum(squares, 0) * units / (units - 1) / below**2
