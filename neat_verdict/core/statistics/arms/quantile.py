"""Quantiles of a unit's value, over the units that have one."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import ClassVar, Self

import numpy as np

from neat_verdict.core.checks import InputError, check_count, check_table
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.statistics.arms.averaged import Averaged, notation_of
from neat_verdict.core.statistics.arms.base import Notation
from neat_verdict.core.statistics.histogram import BUCKETS, EDGES, WIDEST, quantile

_ERROR = (
    "; quantiles: Ma, Genton & Parzen (2011), Ann. Inst. Stat. Math. 63, 227–243; their error: Woodruff (1952), J. Am. Stat. "
    "Assoc. 47, 635–646"
)


def _notation(noun: str, p: float) -> Notation:
    level = (
        f"m = Q({p:g}), Q(s) the value at rank s·n by the mid-distribution: the middle of each bucket stands at the rank of its "
        "middle value, straight lines between;  "
        f"√v = (Q({p:g} + d) − Q({p:g} − d))/3.92, d = 1.96·√({p:g}·{1 - p:g}/n)"
    )
    words = (
        "Over the units that have a value. Read from a histogram in fixed buckets: the error of that is at most "
        f"{WIDEST / 2:.1%} of the level, and the same in all variants."
    )
    made = notation_of(noun, level, words, source=_ERROR)
    return replace(made, rare="exceedance", verbs=("has a higher", "has a lower"))


@lru_cache(maxsize=1024)  # an arm is asked a dozen times on the way to a reading
def _level(counts: tuple[int, ...], p: float) -> tuple[float, float]:
    """The level with its variance."""
    line = np.zeros(BUCKETS)
    line[: len(counts)] = counts
    level, variance = quantile(line, p)
    return float(level), float(variance)


@dataclass(frozen=True, slots=True)
class Quantile(Averaged):
    """A quantile, from counts in fixed buckets that add up across disjoint groups.

    Parameters
    ----------
    units : int
        Units exposed, those without a value included, 0 or more.
    counts : sequence of int
        Units by the bucket of their value (`histogram.buckets_of`), `BUCKETS` of them; those at the end may be left out.

    Raises
    ------
    InputError
        For counts that are not whole, more than there are buckets, or more in all than units.
    """

    units: int
    counts: tuple[int, ...]

    adds_up: ClassVar[bool] = False
    p: ClassVar[float]

    def __post_init__(self) -> None:
        check_count("units", self.units)
        if len(self.counts) > BUCKETS:
            raise InputError("counts", len(self.counts), f"must be {BUCKETS} or fewer")
        whole = check_table("counts", [self.counts]).astype(np.int64).reshape(-1)
        if int(whole.sum()) > self.units:
            raise InputError("counts", int(whole.sum()), f"must not be more in all than units ({self.units})")
        # A plain tuple, whatever sequence of numbers it was made from.
        object.__setattr__(self, "counts", tuple(whole.tolist()))

    @property
    def sums(self) -> tuple[float, ...]:
        """Units, those with a value, then the counts of all buckets."""
        rest = BUCKETS - len(self.counts)
        return (self.units, self.total, *self.counts, *(0,) * rest)

    def __add__(self, other: Self) -> Self:
        first, second = (np.array(arm.sums[2:], dtype=np.int64) for arm in (self, other))
        return type(self)(self.units + other.units, tuple((first + second).tolist()))

    @property
    def total(self) -> float:  # type: ignore[override]
        """Units with a value."""
        return sum(self.counts)

    @property
    def estimate(self) -> float:
        """The quantile; nan without a value, or where it is too large for the buckets."""
        return _level(self.counts, self.p)[0]

    @property
    def squared_error(self) -> float:
        """Variance of the estimate; nan with so few values that the quantile's own uncertainty reaches past the last of them."""
        return _level(self.counts, self.p)[1]

    @property
    def smallest_count(self) -> float:
        return min(self.p, 1 - self.p) * self.total

    def smallest_expected_count(self, other: Self) -> float:
        """Values beyond the quantile, in the arm that has fewer."""
        return min(self.smallest_count, other.smallest_count)

    def inputs(self) -> tuple[tuple[str, float], ...]:
        level = self.estimate
        place = 0 if math.isnan(level) else int(np.searchsorted(EDGES, level, side="right")) - 1
        bounds = (("bucket from", EDGES[place]), ("to", EDGES[min(place + 1, BUCKETS - 1)]))
        return ("units", self.units), ("n", self.total), *((name, float(value)) for name, value in bounds)

    @classmethod
    def deviations_of(cls, sums: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Not known: a quantile has no skewness of values to be corrected for."""
        unknown = np.full(sums.shape[:-1], np.nan)
        return unknown, unknown

    @classmethod
    def levels(cls, sums: FloatArray) -> tuple[FloatArray, FloatArray]:
        return quantile(sums[..., 2:], cls.p)


class Median(Quantile):
    """The value that half of the units do not exceed."""

    __slots__ = ()
    p = 0.5
    notation = _notation("median", 0.5)


class Percentile90(Quantile):
    """The value that 90 % of the units do not exceed."""

    __slots__ = ()
    p = 0.9
    notation = _notation("90th percentile", 0.9)


class Percentile95(Quantile):
    """The value that 95 % of the units do not exceed."""

    __slots__ = ()
    p = 0.95
    notation = _notation("95th percentile", 0.95)


QUANTILES: tuple[type[Quantile], ...] = (Median, Percentile90, Percentile95)
