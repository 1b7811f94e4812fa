"""One reading, when the planned sample is in. Several variants by Dunnett."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, ClassVar, Literal

from neat_verdict.core.methods.always_valid import AlwaysValid
from neat_verdict.core.methods.base import Method, Reached, Threshold, check_choice, normal_critical_value
from neat_verdict.core.statistics import Sides, dunnett_critical_value, dunnett_pvalue
from neat_verdict.core.text.format import format_count, format_full, format_share, plural
from neat_verdict.core.text.statements import Condition, Derivation, Step, condition
from neat_verdict.core.variants import LETTERS

if TYPE_CHECKING:
    from neat_verdict.core.rule import DecisionRule

DUNNETT = "Dunnett (1955), J. Am. Stat. Assoc. 50, 1096–1121"
DUNNETT_WORDS = "The chance that any of the comparisons with control lies as far from zero, if none differs."
DUNNETT_FORMULA = "1 − ∫ Π(Φ((c − l·u)/√(1 − l²)) − Φ((−c − l·u)/√(1 − l²))) φ(u) du,  c = |z|, l² = n/(n + n₀)"
ALONE = ("One comparison: nothing to allow for, it is p itself.", "p", "–")


def dunnett_threshold(confidence: float, units: Sequence[float], sides: Sides) -> Threshold:
    """All comparisons with control together, read once."""
    c = dunnett_critical_value(confidence, units[0], units[1:], sides)
    return Threshold(c, lambda z: dunnett_pvalue(z, units[0], units[1:], sides))


@dataclass(frozen=True, slots=True)
class Fixed(Method):
    """Read once. ``sides`` "two" or "one"; raises InputError for others."""

    sides: Sides = "two"

    name: ClassVar[str] = "fixed"
    title: ClassVar[str] = "Once, at the end"
    explanation: ClassVar[str] = (
        "Read as soon as the planned sample and the least whole weeks are in. Needs the least data."
    )
    alternative: ClassVar[str] = "A single reading"
    reads_once: ClassVar[bool] = True
    several_note: ClassVar[str] = (
        "The critical value and the adjusted p hold for all comparisons with control together (Dunnett 1955)."
    )
    how_read: ClassVar[str] = "It was read once, when the planned sample was in."
    how_not_read: ClassVar[str] = "It is to be read once, when the planned sample is in, which it was not."
    adjusted_words: ClassVar[str] = DUNNETT_WORDS
    adjusted_formula: ClassVar[str] = DUNNETT_FORMULA
    adjusted_source: ClassVar[str] = DUNNETT

    def __post_init__(self) -> None:
        check_choice("sides", self.sides, ("two", "one"))

    def reading_days(self, planned_days: int, minimum_days: int = 0) -> Sequence[int]:
        return (planned_days,)

    def planned_units(self, needed: tuple[int, ...], _expected: tuple[int, ...]) -> tuple[int, ...]:
        return needed

    def reads_no_more(self, _rule: DecisionRule, _days: int, _looks_last: bool | None) -> bool:
        return True

    def minimum_condition(
        self, rule: DecisionRule, progress: float | None, _looks_taken: int | None
    ) -> Condition | None:
        if progress is None or rule.planned_units is None:
            return None
        required = f"{format_count(min(rule.planned_units))} units a variant"
        seen = format_share(progress, 0)
        return condition("sample", "minimum", "Reached the planned sample", progress >= 1, seen, required)

    def guardrail_method(self, *, early: bool) -> Method:
        """The band that holds at any time until the one reading is made."""
        return AlwaysValid() if early else Fixed()

    def threshold(self, confidence: float, units: Sequence[float], _reached: Reached) -> Threshold:
        return dunnett_threshold(confidence, units, self.sides)

    def pair_critical_value(self, confidence: float, _reached: Reached) -> float:
        return normal_critical_value(confidence)

    def single_critical_value(self, confidence: float, weights: Sequence[float]) -> float:
        return dunnett_critical_value(confidence, weights[0], weights[1:], self.sides)

    def when_words(self, rule: DecisionRule) -> str:
        waits = []
        if rule.minimum_days:
            waits.append(f"{plural(rule.minimum_days, 'day')} {'is' if rule.minimum_days == 1 else 'are'} over")
        if rule.planned_units is not None:
            waits.append(f"each variant has {format_count(min(rule.planned_units))} units")
        return f"We read once, as soon as {' and '.join(waits)}." if waits else "We read the counts as they stand."

    def adjusted_derivation(self, comparisons: int) -> tuple[str, str, str]:
        return (self.adjusted_words, self.adjusted_formula, self.adjusted_source) if comparisons > 1 else ALONE

    def boundary_derivation(
        self, rule: DecisionRule, units: Sequence[float], _reached: Reached, _comparisons: int
    ) -> Derivation:
        c = self.threshold(rule.confidence, units, Reached()).critical_value
        several = len(units) > 2
        words: Literal["all comparisons with control together", "one comparison"] = (
            "all comparisons with control together" if several else "one comparison"
        )
        return Derivation(
            "Critical value of the reading",
            f"The rule reads once, so the value is that of {words}.",
            "the c at which the adjusted p is 1 − confidence"
            if several
            else "Φ⁻¹(1 − α/2), or Φ⁻¹(1 − α) for one side",
            DUNNETT if several else "the normal distribution",
            (
                Step("α", format_full(1 - rule.confidence)),
                Step("sides", self.sides),
                *(Step(f"n of {LETTERS[place]}", format_full(n)) for place, n in enumerate(units)),
            ),
            (Step("c", format_full(c)),),
        )
