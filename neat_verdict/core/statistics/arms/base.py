"""What every kind of arm can do. A kind is one module of this package; nobody outside asks which one it is."""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from collections.abc import Callable, Sequence
from dataclasses import dataclass, fields
from functools import cache
from typing import TYPE_CHECKING, ClassVar, Self

import numpy as np

from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.statistics.meta_analysis import Effect

if TYPE_CHECKING:
    from neat_verdict.core.statistics.comparison import Comparison
    from neat_verdict.core.statistics.posterior import Posterior

Accumulate = Callable[[FloatArray], FloatArray]


@dataclass(frozen=True, slots=True)
class Notation:
    """How an arm and its comparisons are written in a derivation: symbols, formulas, sources.

    ``noun`` is the level's name, ``level`` its formula, ``interval`` the formula of its own interval; the others are
    those of a comparison. ``rare`` names what there may be too little of for the approximation ("conversion"), "" where the
    units say that; ``verbs`` what a variant of a higher and of a lower level does, before the metric's name; ``replicate`` what
    the variance comes from where it is not the units ("day").
    """

    noun: str
    symbol: str
    level_words: str
    level: str
    interval: str
    interval_words: str
    interval_source: str
    test: str
    test_source: str
    lift: str
    lift_source: str
    difference: str
    difference_source: str
    within: str
    within_source: str
    ratio_test: str
    ratio_test_source: str
    by_period: str = ""
    rare: str = ""
    verbs: tuple[str, str] = ("brings more", "brings fewer")
    replicate: str = ""


class Arm(ABC):
    """Sufficient statistics of the units of a variant, which add up across disjoint groups (`+`).

    ``units`` are the units exposed, ``total`` what all of them together came to: conversions, the sum, the numerator. The fields
    of a kind, in their order, are the sums that arrays of it have in one axis.
    """

    __slots__ = ()
    notation: ClassVar[Notation]
    converts: ClassVar[bool] = False  # whether each unit counts once or not at all
    skewed: ClassVar[bool] = False  # whether the skewness of units' values moves a comparison of uneven arms
    adds_up: ClassVar[bool] = True  # whether the level times units is a total
    least_replicates: ClassVar[int] = 0  # how many of ``notation.replicate`` a comparison takes
    units: int
    total: float

    @property
    def sums(self) -> tuple[float, ...]:
        """The fields in their order, nan where one is not known."""
        values = (getattr(self, name) for name in self.field_names())
        return tuple(math.nan if value is None else value for value in values)

    def __add__(self, other: Self) -> Self:
        values = ((getattr(self, name), getattr(other, name)) for name in self.field_names())
        return type(self)(*(None if a is None or b is None else a + b for a, b in values))

    @property
    def deviations(self) -> tuple[float, float] | None:
        """Sums of squared and of cubed deviations of units from the level; None where they are not known, or of no use."""
        return None

    @property
    @abstractmethod
    def estimate(self) -> float:
        """The level: a rate, a mean, a ratio of sums; nan where there is none."""

    @property
    @abstractmethod
    def squared_error(self) -> float:
        """Variance of the estimate; nan with too few units to know it."""

    @property
    @abstractmethod
    def comparable(self) -> bool:
        """Whether there is enough to be compared."""

    @property
    @abstractmethod
    def smallest_count(self) -> float:
        """The count that says how little there is: conversions of a rate, units of a mean."""

    @property
    def total_per_level(self) -> float:
        """What a unit adds to the total for each 1 of the level: 1, or of a ratio its denominator per unit."""
        return 1.0

    def smallest_expected_count(self, _other: Self) -> float:
        """How many of ``notation.rare`` the smaller arm would have if this and the other did not differ; inf where that does not
        matter."""
        return math.inf

    @abstractmethod
    def interval(self, confidence: float) -> tuple[float, float]:
        """Bounds of the level on its own; nan where there are none. Raises InputError for a confidence outside (0, 1)."""

    @abstractmethod
    def inputs(self) -> tuple[tuple[str, float], ...]:
        """What was counted, as (symbol, value)."""

    @abstractmethod
    def interval_steps(self, confidence: float) -> tuple[tuple[str, float], ...]:
        """The figures on the way to `interval`, as (symbol, value)."""

    @classmethod
    @abstractmethod
    def statistic(cls, first: Self, second: Self) -> float:
        """Standard normal statistic of the difference, positive where the first is higher."""

    @classmethod
    @abstractmethod
    def compare(cls, pairs: Sequence[tuple[Self, Self]], critical_values: Sequence[float]) -> list[Comparison]:
        """Compare pairs of (variant, reference), each at its own critical value; p-values are unadjusted.

        Raises InputError for an arm with too little to compare.
        """

    @classmethod
    @abstractmethod
    def test_steps(cls, comparison: Comparison) -> tuple[tuple[str, float], ...]:
        """The figures on the way to a comparison's statistic, as (symbol, value)."""

    @classmethod
    @abstractmethod
    def lifts(cls, sums: FloatArray, critical_value: float) -> tuple[FloatArray, FloatArray, FloatArray]:
        """Estimate, low and high of the lift over the first arm; nan where there is none.

        ``sums`` is anything x arms x sums; what is returned is anything x variants.
        """

    @classmethod
    @abstractmethod
    def stratified_variance(cls, weights: FloatArray, arms: Sequence[Self], accumulate: Accumulate) -> FloatArray:
        """Variance of Σ weight x level over strata, in the groups that ``accumulate`` adds up."""

    @classmethod
    def stratified_covariance(
        cls, _weights: FloatArray, pairs: Sequence[tuple[Self, Self]], accumulate: Accumulate
    ) -> FloatArray:
        """Covariance of Σ weight x level of variants and references over strata; 0 where they rest on different units."""
        return accumulate(np.zeros(len(pairs)))

    @property
    def replicates(self) -> float:
        """What the variance was estimated from: units, of totals by day the days."""
        return self.units

    def freedom_with(self, _control: Self) -> float | None:
        """Degrees of freedom of a comparison with control; None for Welch's."""
        return None

    def covariance_with(self, _control: Self) -> float:
        """Of this estimate and control's; 0 where they rest on different units."""
        return 0.0

    @classmethod
    @abstractmethod
    def log_ratio_within(cls, strata: Sequence[tuple[Self, Self]]) -> Effect | None:
        """One log ratio over strata of (variant, control), each compared within itself; None where it cannot be computed."""

    @classmethod
    @abstractmethod
    def ratio_statistics(cls, strata: Sequence[tuple[Self, Self]], ratios: FloatArray) -> FloatArray:
        """Statistics (strata x ratios) of "variant's level is this many times control's", about standard normal if it is."""

    @abstractmethod
    def posterior_against(self, control: Self, confidence: float, sign: int, tested: Comparison) -> Posterior:
        """What the data say of this arm against control; ``tested`` is the test's comparison of the two."""

    @abstractmethod
    def chance_above(self, control: Self, ratio: float) -> float:
        """Posterior probability that this arm's level is more than ``ratio`` (above 0) times control's."""

    @classmethod
    @abstractmethod
    def chances_to_be_best(cls, arms: Sequence[Self], sign: int) -> tuple[float, ...]:
        """Posterior probability of each arm to be the best of all."""

    @abstractmethod
    def posterior_inputs(self) -> tuple[tuple[str, float], ...]:
        """What the posterior of the level follows from, as (symbol, value)."""

    @abstractmethod
    def weighted_sums(self) -> tuple[float, float, float]:
        """Units, sum of values and the variance of that sum, as adaptive allocation remembers them; zeros with too little."""

    @classmethod
    @abstractmethod
    def remembered_belief(cls, units: float, total: float, variance: float) -> tuple[float, float] | None:
        """Mean and standard error of the level by `weighted_sums` that were added up with weights; None with too little."""

    @classmethod
    @cache
    def field_names(cls) -> tuple[str, ...]:
        """The sums' names, in order."""
        return tuple(field.name for field in fields(cls))  # type: ignore[arg-type]

    def log_ratio(self, control: Arm) -> Effect | None:
        """The log of this level over control's with its variance (delta method); None where a level is not above 0 or
        neither varies."""
        sides = [(arm.estimate, arm.squared_error) for arm in (self, control)]
        if not all(level > 0 and math.isfinite(error) for level, error in sides):
            return None
        both = self.covariance_with(control) / (sides[0][0] * sides[1][0])
        variance = sum(error / level**2 for level, error in sides) - 2 * both
        return (math.log(sides[0][0] / sides[1][0]), variance) if variance > 0 else None
