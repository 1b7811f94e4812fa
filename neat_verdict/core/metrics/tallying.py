"""From units' values to sums that add up, and from those to arms: which sums a metric needs, and what they are called."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Sequence
from typing import ClassVar

import numpy as np

from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.statistics import Adjustment, Arm, Mean, Rate, Ratio, fit_adjustment

# All sums that a tally may have, in the order in which exact sums are kept: of the first value, of the second, of both.
ALL_COLUMNS = ("units", "total", "squares", "second_total", "second_squares", "cross")


class Tallying(ABC):
    """Which sums of units' values are kept.

    ``name`` is the one it is stored by; ``columns`` are those of `ALL_COLUMNS`, in the order of the arm's sums; ``fields``
    are their names in files; ``value_names`` tell a unit's values apart in files of units, ``capped_values`` is how many of
    them a cap may hold.
    """

    name: ClassVar[str]
    arm: ClassVar[type[Arm]]
    columns: ClassVar[tuple[str, ...]]
    fields: ClassVar[tuple[str, ...]]
    value_names: ClassVar[tuple[str, ...]] = ("",)
    capped_values: ClassVar[int] = 1

    @abstractmethod
    def check_sums(self, sums: Sequence[float]) -> Arm:
        """Sums (in the order of ``columns``) as an arm, before any adjustment. Raises InputError for impossible ones."""

    def arms_along(self, sums: FloatArray) -> list[list[Arm]]:
        """The arms of each stretch, from sums x stretches x arms; all of them adjusted alike where they are adjusted."""
        return [[self.check_sums(line) for line in stretch] for stretch in np.moveaxis(sums, 0, 2).tolist()]

    def arms(self, sums: FloatArray) -> list[Arm]:
        """Arms that will be compared, from sums x arms."""
        return self.arms_along(sums[:, None, :])[0]

    def adjustment(self, _sums: FloatArray) -> Adjustment | None:
        """How values are adjusted, from sums x arms; None for what is not."""
        return None


class RateTallying(Tallying):
    """Units, and those that converted."""

    name = "rate"
    arm, columns, fields = Rate, ("units", "total"), ("units", "conversions")
    capped_values = 0

    def check_sums(self, sums: Sequence[float]) -> Rate:
        return Rate(int(sums[1]), int(sums[0]))


class MeanTallying(Tallying):
    """Units, the sum of their values and of their squares."""

    name = "mean"
    arm, columns, fields = Mean, ("units", "total", "squares"), ("units", "total", "squares")

    def check_sums(self, sums: Sequence[float]) -> Mean:
        return Mean(int(sums[0]), float(sums[1]), float(sums[2]))


_BOTH = ("units", "total", "second_total", "squares", "second_squares", "cross")


class RatioTallying(Tallying):
    """Units, the sums of numerator and denominator, of their squares and of their product."""

    name = "ratio"
    arm, columns, capped_values = Ratio, _BOTH, 2
    value_names = ("numerator", "denominator")
    fields = ("units", "numerator", "denominator", "numerator_squares", "denominator_squares", "cross")

    def check_sums(self, sums: Sequence[float]) -> Ratio:
        return Ratio(int(sums[0]), *(float(value) for value in sums[1:]))


class AdjustedMeanTallying(Tallying):
    """A mean with what the same units came to before their exposure; it becomes a mean when it is read."""

    name = "adjusted"
    arm, columns = Mean, _BOTH
    value_names = ("", "before")
    fields = ("units", "total", "before", "squares", "before_squares", "cross")

    def check_sums(self, sums: Sequence[float]) -> Mean:
        return Mean(int(sums[0]), float(sums[1]), float(sums[3]))

    def arms_along(self, sums: FloatArray) -> list[list[Arm]]:
        return MEAN.arms_along(fit_adjustment(sums.sum(axis=1)).apply(sums))

    def adjustment(self, sums: FloatArray) -> Adjustment | None:
        return fit_adjustment(sums)


RATE, MEAN, RATIO, ADJUSTED_MEAN = RateTallying(), MeanTallying(), RatioTallying(), AdjustedMeanTallying()
TALLYINGS: dict[str, Tallying] = {tallying.name: tallying for tallying in (RATE, MEAN, RATIO, ADJUSTED_MEAN)}
