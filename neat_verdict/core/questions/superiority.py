"""Is the variant better than control?"""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from neat_verdict.core.numeric import BoolArray
from neat_verdict.core.questions.base import Question
from neat_verdict.core.sizing.sample_size import SampleSize, detectable_lift, power, sample_size
from neat_verdict.core.text.format import format_percent

if TYPE_CHECKING:
    from neat_verdict.core.planning.request import PlanRequest
    from neat_verdict.core.rule import DecisionRule
    from neat_verdict.core.statistics import Comparison, Interval
    from neat_verdict.core.text.statements import Condition
    from neat_verdict.core.verdicts.facts import Facts


class Superiority(Question):
    name, title = "superiority", "Is it better?"
    explanation = "A variant wins when its interval lies clear of zero in the good direction."
    size_name, size_explanation = "Worthwhile lift", "The smallest lift that is worth acting on."
    looked_for = "lift"
    band_words = "a change is too small to act on"
    boundary_words = "beyond the line to be called a difference"
    yes = "win"
    verdicts = frozenset({
        "unsound", "trade_off", "winner", "keep_control", "no_worthwhile_difference", "unresolved", "keep_collecting",
    })  # fmt: skip
    about_zero = True

    def units_needed(self, request: PlanRequest, critical_value: float) -> SampleSize:
        lift = request.sign * request.worthwhile_lift
        return sample_size(request.baseline, lift, request.arms, request.strictness, critical_value=critical_value)

    def power(self, request: PlanRequest, total: float, critical_value: float) -> float:
        wanted, confidence = request.sign * request.worthwhile_lift, request.strictness.confidence
        return power(total, request.baseline, wanted, request.arms, confidence, critical_value=critical_value)

    def smallest(self, request: PlanRequest, total: float, critical_value: float) -> float | None:
        return detectable_lift(total, request.baseline, request.arms, request.strictness, critical_value=critical_value)

    def needed_lift(self, half_width: float, _size: float) -> float:
        return half_width

    def rehearsed_worlds(self, size: float) -> Sequence[tuple[str, float]]:
        return ("none", 0.0), ("worthwhile", size)

    def is_true(self, lift: float, _size: float) -> bool:
        return lift > 0

    def shown(self, facts: Facts) -> BoolArray:
        return facts.clear & ~facts.inside

    def refuted(self, facts: Facts) -> BoolArray:
        return facts.beaten | facts.below_worthwhile

    def undoing(self, effect: Interval, _size: float) -> float:
        return -effect.low

    def effect_conditions(
        self, best: Comparison | None, _effect: Interval | None, letter: str, rule: DecisionRule, *, readable: bool
    ) -> list[Condition]:
        return rule.method.effect_conditions(best, letter, rule, readable=readable)

    def win_words(self, rule: DecisionRule, *, several: bool) -> str:
        return rule.method.winner_words(rule, several=several)

    def other_words(self, rule: DecisionRule, *, several: bool) -> Sequence[str]:
        worthwhile, every = format_percent(rule.worthwhile_lift), "every variant" if several else "the variant"
        return (
            f"{rule.method.interval_name} inside ±{worthwhile} is no worthwhile difference.",
            f"Control is kept when {every} is shown to be worse, or not to reach {worthwhile}.",
        )

    def claim(self, variant: str, metric: str, _size: str) -> str:
        return f"{variant} wins on {metric}"

    def short_claim(self, letter: str, metric: str) -> str:
        return f"{letter} wins {metric}"

    def open_words(self, noun: str, size: str) -> str:
        return f"The interval holds both zero and {noun}s worth acting on{f' ({size} or more)' if size else ''}."

    def effect_words(self, metric: str, size: float, sign: int) -> str:
        return f"{'raises' if sign > 0 else 'lowers'} {metric} by at least {format_percent(size)}"

    def sized_words(self, size: float) -> str:
        return f"to see a lift of {format_percent(size)} or more"

    def size_words(self, rule: DecisionRule) -> str:
        return f"the worthwhile {format_percent(rule.worthwhile_lift)}"
