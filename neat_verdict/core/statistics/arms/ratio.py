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

from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.statistics.arms.averaged import (
    DIFFERENCE,
    FIELLER,
    LIFT,
    STUDENT,
    TEST,
    WELCH,
    WITHIN,
    WITHIN_SOURCE,
    Averaged,
    check_finite,
    check_product,
    check_squares,
    check_units,
)
from neat_verdict.core.statistics.arms.base import Notation

_LEVEL = "m = Σa/Σb, v = (Σa² − 2mΣab + m²Σb²)·n/(n − 1)/(Σb)²"
_DELTA = "; the delta method over units: Deng, Knoblich & Lu (2018)"


@dataclass(frozen=True, slots=True)
class Ratio(Averaged):
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

    notation: ClassVar[Notation] = Notation(
        noun="ratio",
        symbol="m",
        level_words="One sum over the other, over the same units.",
        level=_LEVEL,
        interval="bounds: m ± c·√v",
        interval_words="The interval is Student’s, for this variant alone.",
        interval_source=STUDENT + _DELTA,
        test=f"{_LEVEL};  {TEST}",
        test_source=WELCH + _DELTA,
        lift=f"{_LEVEL};  {LIFT}",
        lift_source=FIELLER,
        difference=f"{_LEVEL};  {DIFFERENCE}",
        difference_source=WELCH,
        within=WITHIN,
        within_source=WITHIN_SOURCE,
    )

    def __post_init__(self) -> None:
        check_units(self.units)
        check_finite("numerator", self.numerator)
        check_finite("denominator", self.denominator)
        check_squares("numerator_squares", self.numerator_squares, self.numerator, self.units)
        check_squares("denominator_squares", self.denominator_squares, self.denominator, self.units)
        check_product("cross", self.cross, self.numerator_squares, self.denominator_squares)

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

    def inputs(self) -> tuple[tuple[str, float], ...]:
        return (
            ("n", self.units), ("Σa", self.numerator), ("Σb", self.denominator), ("Σa²", self.numerator_squares),
            ("Σb²", self.denominator_squares), ("Σab", self.cross),
        )  # fmt: skip

    @classmethod
    def levels(cls, sums: FloatArray) -> tuple[FloatArray, FloatArray]:
        units, above, below, above2, below2, cross = (sums[..., column] for column in range(6))
        level = above / below
        squares = above2 - 2 * level * cross + level**2 * below2
        return level, np.maximum(squares, 0) * units / (units - 1) / below**2
