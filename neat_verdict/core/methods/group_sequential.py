"""Planned looks: alpha spending at the information actually reached. Several variants by Bonferroni."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, ClassVar

from neat_verdict.core.checks import InputError
from neat_verdict.core.methods.always_valid import AlwaysValid
from neat_verdict.core.methods.base import (
    SIDES,
    Method,
    Reached,
    Setting,
    Threshold,
    check_choice,
    normal_critical_value,
)
from neat_verdict.core.statistics import (
    Boundary,
    Sides,
    Spending,
    boundary,
    inflation,
    mean_at_stop,
    repeated_pvalue,
    stopping_factor,
)
from neat_verdict.core.statistics.alpha_spending import MAX_LOOKS, SPENDING_FUNCTIONS
from neat_verdict.core.text.format import format_full, listed, plural
from neat_verdict.core.text.statements import Condition, Derivation, Step, condition

if TYPE_CHECKING:
    from neat_verdict.core.rule import DecisionRule

EVEN_LOOKS = 4
_SPENDING_WORDS = {
    "obrien_fleming": "alpha spending is of the O’Brien–Fleming type, which spends little early",
    "pocock": "alpha spending is of the Pocock type, which spends about evenly",
}
_SPENT = {
    "obrien_fleming": "4 − 4Φ(z(α/4)/√t), the O’Brien–Fleming type",
    "pocock": "α·ln(1 + (e − 1)·t), the Pocock type",
}


@dataclass(frozen=True, slots=True)
class GroupSequential(Method):
    """Read at planned looks only.

    Parameters
    ----------
    sides : "two" or "one"
    spending : "obrien_fleming" or "pocock"
        Of the level over the looks.
    looks : int
        Number of even looks, 2 to 120, each after a whole week, used where ``look_days`` is empty.
    look_days : tuple of int
        Days of the run (1 is the first) after which a look is taken, increasing; the planned end is always the last look.

    Raises
    ------
    InputError
        For a value outside its range.
    """

    sides: Sides = "two"
    spending: Spending = "obrien_fleming"
    looks: int = EVEN_LOOKS
    look_days: tuple[int, ...] = ()

    name: ClassVar[str] = "group_sequential"
    title: ClassVar[str] = "Planned looks"
    explanation: ClassVar[str] = "Read on days fixed beforehand, and at no other time. Often ends sooner."
    alternative: ClassVar[str] = "Four planned looks"
    has_looks: ClassVar[bool] = True
    method_note: ClassVar[str] = (
        "Read at planned looks: the level is spent by the share of the planned data that is in (Lan & DeMets 1983), "
        "the critical value follows by recursion over the looks taken (Armitage, McPherson & Rowe 1969); the adjusted "
        "p is the smallest level whose boundary is reached (Jennison & Turnbull 2000)."
    )
    several_note: ClassVar[str] = "The level is shared among the comparisons with control (Bonferroni)."
    how_read: ClassVar[str] = "It was read at planned looks only, and the interval allows for them."
    how_not_read: ClassVar[str] = "It is to be read at planned looks only, and none had been taken."
    threshold_source: ClassVar[str] = "; critical value by alpha spending, Lan & DeMets (1983)"
    adjusted_words: ClassVar[str] = "The smallest level whose boundary at this look the statistic would reach."
    adjusted_formula: ClassVar[str] = "the level at which the critical value equals |z|"
    adjusted_source: ClassVar[str] = "Jennison & Turnbull (2000), section 9.2; several variants by Bonferroni"
    settings: ClassVar[tuple[Setting, ...]] = (
        SIDES,
        Setting("looks", "Looks", "whole", "Spread evenly over the run, each after a whole week", (), 2, MAX_LOOKS),
        Setting("look_days", "Looks after day", "days", "Days of the run; the planned end is always the last look"),
        Setting(
            "spending",
            "Alpha spending",
            "choice",
            "How much of the level the early looks may use",
            choices=(("obrien_fleming", "O’Brien–Fleming type"), ("pocock", "Pocock type")),
        ),
    )

    def __post_init__(self) -> None:
        check_choice("sides", self.sides, ("two", "one"))
        check_choice("spending", self.spending, SPENDING_FUNCTIONS)
        if not 2 <= self.looks <= MAX_LOOKS:
            raise InputError("looks", self.looks, f"must be 2 to {MAX_LOOKS}")
        if len(self.look_days) >= MAX_LOOKS:
            raise InputError("look_days", len(self.look_days), f"must be fewer than {MAX_LOOKS}")
        for before, after in zip((0, *self.look_days), self.look_days, strict=False):
            if after <= before:
                raise InputError(
                    "look_days", after, f"must be days of the run, each later than the one before ({before})"
                )

    def over_rounds(self, rounds: int) -> Method:
        """With one look at the end of each round."""
        return replace(self, looks=rounds, look_days=()) if rounds > 1 else self

    def reading_days(self, planned_days: int, minimum_days: int = 0) -> Sequence[int]:
        wanted = self.look_days or tuple(7 * math.ceil(planned_days * k / self.looks / 7) for k in range(1, self.looks))
        return (*sorted({day for day in wanted if max(minimum_days, 1) <= day < planned_days}), planned_days)

    def reads_no_more(self, _rule: DecisionRule, _days: int, looks_last: bool | None) -> bool:
        return bool(looks_last)

    def minimum_condition(
        self, rule: DecisionRule, _progress: float | None, looks_taken: int | None
    ) -> Condition | None:
        if looks_taken is None:
            return None
        seen = f"{looks_taken} of {len(rule.look_days)} looks taken"
        required = f"the first after day {rule.look_days[0]}"
        return condition("look", "minimum", "A planned look was taken", looks_taken > 0, seen, required)

    def guardrail_method(self, *, early: bool) -> Method:
        """The band that holds at any time until the first look is taken."""
        return AlwaysValid() if early else replace(self, sides="two")

    def threshold(self, confidence: float, units: Sequence[float], reached: Reached) -> Threshold:
        comparisons = len(units) - 1
        c = self.pair_critical_value(self.comparison_confidence(confidence, comparisons), reached)

        def level(z: float) -> float:
            return repeated_pvalue(z, reached.looks, self.spending, final=reached.last)

        return self.shared(c, level, comparisons)

    def stopping_factor(self, statistic: float, confidence: float, reached: Reached) -> float | None:
        if not reached.looks:
            return None
        return stopping_factor(statistic, reached.looks, self._boundary(confidence, reached).critical_values)

    def mean_at_stop(self, drift: float, confidence: float, reached: Reached) -> float | None:
        return mean_at_stop(drift, reached.looks, self._boundary(confidence, reached).critical_values)

    def _boundary(self, confidence: float, reached: Reached) -> Boundary:
        return boundary(reached.looks, confidence, self.spending, final=reached.last)

    def pair_critical_value(self, confidence: float, reached: Reached) -> float:
        return self._boundary(confidence, reached).critical_values[-1]

    def single_critical_value(self, confidence: float, weights: Sequence[float]) -> float:
        return normal_critical_value(self.comparison_confidence(confidence, len(weights) - 1))

    def inflation(
        self, confidence: float, power: float, comparisons: int, planned_days: int, least_days: int = 0
    ) -> float:
        one = self.comparison_confidence(confidence, comparisons)
        information = tuple(day / planned_days for day in self.reading_days(planned_days, least_days))
        return inflation(information, boundary(information, one, self.spending).critical_values, 1 - one, power)

    def planned_boundary(
        self, days: Sequence[int], information: Sequence[float], confidence: float, comparisons: int
    ) -> list[tuple[int, float, float]]:
        one = self.comparison_confidence(confidence, comparisons)
        values = boundary(information, one, self.spending).critical_values
        return list(zip(days, information, values, strict=True))

    def when_words(self, rule: DecisionRule) -> str:
        if rule.rounds > 1:
            return (
                f"It runs in up to {rule.rounds} rounds of {plural(rule.days_a_round, 'day')}, which are read together, each "
                f"compared within itself. We look at the end of each and at no other time; {_SPENDING_WORDS[self.spending]}."
            )
        days = listed([str(day) for day in rule.look_days])
        return f"We look after day {days} and at no other time; {_SPENDING_WORDS[self.spending]}."

    def allowing(self) -> str:
        return "for all looks together"

    def reads_again(self) -> str:
        return "at the next look"

    def boundary_derivation(
        self, rule: DecisionRule, _units: Sequence[float], reached: Reached, comparisons: int
    ) -> Derivation:
        one = self.comparison_confidence(rule.confidence, comparisons)
        result = self._boundary(one, reached)
        lines = list(zip(result.information, result.spent, result.critical_values, strict=True))
        return Derivation(
            f"Boundary at look {len(lines)}",
            "Each look may spend a part of the level, by how much of the planned data is in. Its critical value is the one that "
            "spends just that part, among runs that have not crossed before; there is no closed form, the looks are followed one "
            "by one.",
            f"spent by t: {_SPENT[self.spending]};  P(|Z₁| < c₁, …, |Zₖ₋₁| < cₖ₋₁, |Zₖ| ≥ cₖ) = what look k spends, "
            "Corr(Zᵢ, Zⱼ) = √(tᵢ/tⱼ)",
            "Lan & DeMets (1983), Biometrika 70, 659–663; Armitage, McPherson & Rowe (1969), J. R. Stat. Soc. A 132, 235–244",
            (
                Step("confidence", format_full(rule.confidence)),
                Step("comparisons that share the level", str(comparisons)),
                Step("α of each, two-sided", format_full(1 - one)),
                *(Step(f"t{number}", format_full(t)) for number, (t, _, _) in enumerate(lines, start=1)),
            ),
            tuple(
                step
                for number, (_, spent, c) in enumerate(lines, start=1)
                for step in (Step(f"spent by look {number}", format_full(spent)), Step(f"c{number}", format_full(c)))
            ),
        )
