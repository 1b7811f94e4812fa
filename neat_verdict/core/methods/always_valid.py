"""Reading at any time: a confidence sequence whose intervals hold for all times together. Several variants by Bonferroni."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, ClassVar

from neat_verdict.core.methods.base import (
    Method,
    Reached,
    Threshold,
    any_day,
    check_choice,
    every_day,
    normal_critical_value,
)
from neat_verdict.core.statistics import (
    Sides,
    always_valid_critical_value,
    always_valid_inflation,
    always_valid_pvalue,
)

if TYPE_CHECKING:
    from neat_verdict.core.rule import DecisionRule


@dataclass(frozen=True, slots=True)
class AlwaysValid(Method):
    """Read on any day. ``sides`` "two" or "one"; raises InputError for others."""

    sides: Sides = "two"

    name: ClassVar[str] = "always_valid"
    title: ClassVar[str] = "At any time"
    explanation: ClassVar[str] = "Read on any day as often as you like. Needs the most data."
    alternative: ClassVar[str] = "Reading at any time"
    holds_at_any_time: ClassVar[bool] = True
    method_note: ClassVar[str] = (
        "May be read at any time: the critical value is √((t + ρ)/t · (ln(1 + t/ρ) − 2 ln α)) at the share t of the "
        "planned data, so that all intervals hold together (Robbins 1970; Howard et al. 2021)."
    )
    several_note: ClassVar[str] = "The level is shared among the comparisons with control (Bonferroni)."
    how_read: ClassVar[str] = "It may be read on any day, and the interval allows for that."
    not_adjusted: ClassVar[str] = (
        "Runs that end as soon as they are clear show too much on average, and no estimate adjusted for that is given for "
        "reading at any time; the interval holds all the same."
    )
    threshold_source: ClassVar[str] = "; critical value of a normal-mixture confidence sequence, Howard et al. (2021)"
    adjusted_words: ClassVar[str] = "The smallest level at which the confidence sequence would leave out zero by now."
    adjusted_formula: ClassVar[str] = "the level at which the critical value equals |z|"
    adjusted_source: ClassVar[str] = "Howard, Ramdas, McAuliffe & Sekhon (2021); several variants by Bonferroni"

    def __post_init__(self) -> None:
        check_choice("sides", self.sides, ("two", "one"))

    def reading_days(self, planned_days: int, minimum_days: int = 0) -> Sequence[int]:
        return every_day(planned_days, minimum_days)

    def threshold(self, confidence: float, units: Sequence[float], reached: Reached) -> Threshold:
        comparisons = len(units) - 1
        one = self.comparison_confidence(confidence, comparisons)
        c = self.pair_critical_value(one, reached)
        return self.shared(c, lambda z: always_valid_pvalue(z, reached.fraction, one), comparisons)

    def pair_critical_value(self, confidence: float, reached: Reached) -> float:
        return float(always_valid_critical_value(reached.fraction, confidence))

    def single_critical_value(self, confidence: float, weights: Sequence[float]) -> float:
        return normal_critical_value(self.comparison_confidence(confidence, len(weights) - 1))

    def inflation(
        self, confidence: float, power: float, comparisons: int, _planned_days: int, _least_days: int = 0
    ) -> float:
        return always_valid_inflation(1 - self.comparison_confidence(confidence, comparisons), power)

    def planned_boundary(
        self, days: Sequence[int], information: Sequence[float], confidence: float, comparisons: int
    ) -> list[tuple[int, float, float]]:
        """One a week."""
        weekly = [(day, part) for day, part in zip(days, information, strict=True) if day % 7 == 0]
        one = self.comparison_confidence(confidence, comparisons)
        return [(day, part, float(always_valid_critical_value(part, one))) for day, part in weekly]

    def when_words(self, rule: DecisionRule) -> str:
        return any_day(rule)

    def allowing(self) -> str:
        return "for being read at any time"
