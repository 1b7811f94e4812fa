"""The four ways of reading: once, at planned looks, at any time, by a posterior."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from scipy import special

from neat_verdict.core.checks import InputError, share
from neat_verdict.core.estimate import Sides, anytime_inflation, boundary, inflation
from neat_verdict.core.estimate.looks import MOST_LOOKS, SPENDINGS, Spending

MethodKind = Literal["fixed", "looks", "anytime", "bayesian"]
METHODS: tuple[MethodKind, ...] = ("fixed", "looks", "anytime", "bayesian")
SUPERIORITY = 0.95
EXPECTED_LOSS = 0.005
EVEN_LOOKS = 4


@dataclass(frozen=True, slots=True)
class Method:
    """How and when a decision rule reads.

    Parameters
    ----------
    kind : "fixed", "looks", "anytime" or "bayesian"
    sides : "two" or "one"
        Whether the confidence holds for both bounds of an interval, or for the one on the side that decides.
    spending : "obrien_fleming" or "pocock"
        Of the level over planned looks.
    looks : int
        Number of even looks, 2 to 120, each after a whole week, used where ``look_days`` is empty.
    look_days : tuple of int
        Days of the run (1 is the first) after which a look is taken, increasing; the planned end is always the last look.
    superiority : float
        Bayesian: probability in (0.5, 1) above which the better variant may be called.
    expected_loss : float
        Bayesian: the most that may be lost on average by choosing it, as a share of control's level, above 0.

    Raises
    ------
    InputError
        For a value outside its range.
    """

    kind: MethodKind = "fixed"
    sides: Sides = "two"
    spending: Spending = "obrien_fleming"
    looks: int = EVEN_LOOKS
    look_days: tuple[int, ...] = ()
    superiority: float = SUPERIORITY
    expected_loss: float = EXPECTED_LOSS

    def __post_init__(self) -> None:
        for field, known in (("kind", METHODS), ("sides", ("two", "one")), ("spending", SPENDINGS)):
            if getattr(self, field) not in known:
                raise InputError(_PUBLIC.get(field, field), getattr(self, field), f"must be one of {', '.join(known)}")
        if not 2 <= self.looks <= MOST_LOOKS:
            raise InputError("looks", self.looks, f"must be 2 to {MOST_LOOKS}")
        if len(self.look_days) >= MOST_LOOKS:
            raise InputError("look_days", len(self.look_days), f"must be fewer than {MOST_LOOKS}")
        for before, after in zip((0, *self.look_days), self.look_days, strict=False):
            if after <= before:
                raise InputError(
                    "look_days", after, f"must be days of the run, each later than the one before ({before})"
                )
        if not 0.5 < self.superiority < 1:
            raise InputError("superiority", self.superiority, "must lie between 0.5 and 1, both excluded")
        if not (math.isfinite(self.expected_loss) and self.expected_loss > 0):
            raise InputError("expected_loss", self.expected_loss, "must be above 0")

    def days_of_looks(self, planned_days: int, least_days: int = 0) -> tuple[int, ...]:
        """Days after which the data are looked at, from ``least_days`` on; the last is the planned end."""
        if self.kind == "fixed":
            return (planned_days,)
        if self.kind != "looks":
            return tuple(range(max(least_days, 1), planned_days + 1))
        wanted = self.look_days or tuple(7 * math.ceil(planned_days * k / self.looks / 7) for k in range(1, self.looks))
        return (*sorted({day for day in wanted if max(least_days, 1) <= day < planned_days}), planned_days)

    def confidence_of_one(self, confidence: float, comparisons: int) -> float:
        """Two-sided confidence of each of several comparisons read more than once (Bonferroni, which needs no assumption).

        A one-sided rule spends on its one side what a two-sided rule of twice the level spends there.
        """
        level = (1 - share("confidence", confidence)) / comparisons
        if self.sides == "one":
            level = min(2 * level, 1 - 1e-9)
        return 1 - level

    def single_critical_value(self, confidence: float, comparisons: int) -> float:
        """Critical value of one reading at the level of all readings together; for a posterior, of its probability."""
        if self.kind == "bayesian":
            return float(special.ndtri(self.superiority))
        return float(-special.ndtri((1 - self.confidence_of_one(confidence, comparisons)) / 2))

    def inflation(
        self, confidence: float, power: float, comparisons: int, planned_days: int, least_days: int = 0
    ) -> float:
        """How many times the data of a single reading this way of reading needs at most; 1 where it needs no more."""
        one = self.confidence_of_one(confidence, comparisons)
        if self.kind == "anytime":
            return anytime_inflation(1 - one, power)
        if self.kind != "looks":
            return 1.0
        information = tuple(day / planned_days for day in self.days_of_looks(planned_days, least_days))
        return inflation(information, boundary(information, one, self.spending).critical_values, 1 - one, power)


_PUBLIC = {"kind": "method"}
