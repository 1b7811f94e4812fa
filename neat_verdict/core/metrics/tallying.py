"""From units' values to sums that add up, and from those to arms: which sums a metric needs, and what they are called."""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from collections.abc import Iterable, Sequence
from typing import ClassVar

import numpy as np

from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.statistics import (
    BUCKETS,
    QUANTILES,
    Adjustment,
    Arm,
    DailyTotals,
    Mean,
    Quantile,
    Rate,
    Ratio,
    bucket_of,
    fit_adjustment,
)

# All sums that a tally may have, in the order in which exact sums are kept: of the first value y, of the second x and of both, up
# to the second order, then y³, y²x, yx² and x³.
SECOND_ORDER = ("units", "total", "squares", "second_total", "second_squares", "cross")
THIRD_ORDER = ("cubes", "squares_cross", "cross_squares", "second_cubes")
ALL_COLUMNS = (*SECOND_ORDER, *THIRD_ORDER)


class Tallying(ABC):
    """Which sums of units' values are kept.

    ``name`` is the one it is stored by; ``columns`` are those of `ALL_COLUMNS`, in the order of the arm's sums; ``fields``
    are their names in files. A file may leave out ``third_fields``, those of third order, and ``second_fields`` all together,
    those of second order: then only totals are known, and days are the replicates. ``value_names`` tell a unit's values apart in
    files of units, ``capped_values`` is how many of them a cap may hold. ``buckets`` is how many counts follow the sums, of units
    by the bucket of their value; such tallies cannot be typed in or brought as daily sums.
    ``stored`` is False where the sums are made of those of others when they are read.
    """

    name: ClassVar[str]
    arm: ClassVar[type[Arm]]
    columns: ClassVar[tuple[str, ...]]
    fields: ClassVar[tuple[str, ...]]
    third_fields: ClassVar[tuple[str, ...]] = ()
    second_fields: ClassVar[tuple[str, ...]] = ()
    value_names: ClassVar[tuple[str, ...]] = ("",)
    capped_values: ClassVar[int] = 1
    buckets: ClassVar[int] = 0
    stored: ClassVar[bool] = True

    @property
    def typed(self) -> bool:
        """Whether daily sums of it can be typed in or brought in a file."""
        return self.stored and not self.buckets

    @property
    def least_fields(self) -> tuple[str, ...]:
        """The fields that no file may leave out."""
        return tuple(name for name in self.fields if name not in self.second_fields)

    @property
    def width(self) -> int:
        """How many figures a tally is read by: its sums, then its buckets."""
        return len(self.columns) + self.buckets

    def values(self, figures: Sequence[float]) -> tuple[float, float]:
        """The first and second value that are summed of a unit, by its figures (`Kind.figure`); 0 for one that it has not."""
        return figures[0], figures[1] if len(figures) == 2 else 0.0

    def places(self, _figures: Sequence[float]) -> Iterable[int]:
        """Which of the counts that follow the sums a unit adds one to: the steps that it reached, or its bucket."""
        return ()

    @abstractmethod
    def check_sums(self, sums: Sequence[float]) -> Arm:
        """Sums (in the order of ``columns``) as an arm, before any adjustment; those of third order are nan or left out where
        they are not known. Raises InputError for impossible ones."""

    def arms_along(self, sums: FloatArray) -> list[list[Arm]]:
        """The arms of each stretch, from sums x stretches x arms; all of them adjusted alike where they are adjusted."""
        return [[self.check_sums(line) for line in stretch] for stretch in np.moveaxis(sums, 0, 2).tolist()]

    def arms(self, sums: FloatArray) -> list[Arm]:
        """Arms that will be compared, from sums x arms."""
        return self.arms_along(sums[:, None, :])[0]

    def adjustment(self, _sums: FloatArray) -> Adjustment | None:
        """How values are adjusted, from sums x arms; None for what is not."""
        return None


def _third(sums: Sequence[float]) -> list[float | None]:
    return [None if math.isnan(value) else float(value) for value in sums]


class RateTallying(Tallying):
    """Units, and those that converted."""

    name = "rate"
    arm, columns, fields = Rate, ("units", "total"), ("units", "conversions")
    capped_values = 0

    def places(self, figures: Sequence[float]) -> Iterable[int]:
        return (step for step, done in enumerate(figures[1:]) if done)

    def check_sums(self, sums: Sequence[float]) -> Rate:
        return Rate(int(sums[1]), int(sums[0]))


class MeanTallying(Tallying):
    """Units, the sum of their values, of their squares and of their cubes."""

    name = "mean"
    arm, fields, third_fields = Mean, ("units", "total", "squares"), ("cubes",)
    second_fields = ("squares",)
    columns = (*fields, *third_fields)

    def check_sums(self, sums: Sequence[float]) -> Mean:
        return Mean(int(sums[0]), float(sums[1]), float(sums[2]), *_third(sums[3:]))


_BOTH = ("units", "total", "second_total", "squares", "second_squares", "cross", *THIRD_ORDER)


class RatioTallying(Tallying):
    """Units, the sums of numerator and denominator, of their squares and products up to the third order."""

    name = "ratio"
    arm, columns, capped_values = Ratio, _BOTH, 2
    value_names = ("numerator", "denominator")
    fields = ("units", "numerator", "denominator", "numerator_squares", "denominator_squares", "cross")
    third_fields = ("numerator_cubes", "squares_cross", "cross_squares", "denominator_cubes")
    second_fields = ("numerator_squares", "denominator_squares", "cross")

    def check_sums(self, sums: Sequence[float]) -> Ratio:
        return Ratio(int(sums[0]), *(float(value) for value in sums[1:6]), *_third(sums[6:]))


class AdjustedMeanTallying(Tallying):
    """A mean with what the same units came to before their exposure; it becomes a mean when it is read."""

    name = "adjusted"
    arm, columns = Mean, _BOTH
    value_names = ("", "before")
    fields = ("units", "total", "before", "squares", "before_squares", "cross")
    third_fields = ("cubes", "squares_cross", "cross_squares", "before_cubes")

    def check_sums(self, sums: Sequence[float]) -> Mean:
        return Mean(int(sums[0]), float(sums[1]), float(sums[3]))

    def arms_along(self, sums: FloatArray) -> list[list[Arm]]:
        return MEAN.arms_along(fit_adjustment(sums.sum(axis=1)).apply(sums))

    def adjustment(self, sums: FloatArray) -> Adjustment | None:
        return fit_adjustment(sums)


class QuantileTallying(Tallying):
    """Units, those with a value, and these by the bucket of their value."""

    columns, fields = ("units", "total"), ("units", "values")
    capped_values = 0
    buckets = BUCKETS
    arm: ClassVar[type[Quantile]]

    def __init__(self, arm: type[Quantile], name: str) -> None:
        self.arm, self.name = arm, name  # type: ignore[misc]

    def values(self, figures: Sequence[float]) -> tuple[float, float]:
        """What is summed is who has a value."""
        return float(bool(figures)), 0.0

    def places(self, figures: Sequence[float]) -> Iterable[int]:
        return [bucket_of(figures[0])] if figures else []

    def check_sums(self, sums: Sequence[float]) -> Quantile:
        return self.arm(int(sums[0]), tuple(int(count) for count in sums[2:]))


class DailyTotalsTallying(Tallying):
    """Totals by day, of which only the days are replicates."""

    name = "daily_totals"
    arm, columns, capped_values = DailyTotals, DailyTotals.field_names(), 0
    fields = ("units", "numerator", "denominator")
    stored = False

    def check_sums(self, sums: Sequence[float]) -> DailyTotals:
        units, above, below, above2, below2, cross, days, *products = (float(value) for value in sums)
        return DailyTotals(int(units), above, below, above2, below2, cross, int(days), *products)


RATE, MEAN, RATIO, ADJUSTED_MEAN = RateTallying(), MeanTallying(), RatioTallying(), AdjustedMeanTallying()
MEDIAN, P90, P95 = map(QuantileTallying, QUANTILES, ("median", "p90", "p95"))
DAILY_TOTALS = DailyTotalsTallying()
TALLYINGS: dict[str, Tallying] = {
    tallying.name: tallying for tallying in (RATE, MEAN, RATIO, ADJUSTED_MEAN, MEDIAN, P90, P95, DAILY_TOTALS)
}
