"""Is the variant at least not worse than control by a margin?"""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from neat_verdict.core.numeric import BoolArray
from neat_verdict.core.questions.about_margin import AboutMargin, margin_condition
from neat_verdict.core.sizing.margins import noninferiority_power, noninferiority_size
from neat_verdict.core.sizing.sample_size import SampleSize
from neat_verdict.core.text.format import format_lift, format_percent, format_probability

if TYPE_CHECKING:
    from neat_verdict.core.planning.request import PlanRequest
    from neat_verdict.core.rule import DecisionRule
    from neat_verdict.core.statistics import Comparison, Interval
    from neat_verdict.core.text.statements import Condition
    from neat_verdict.core.verdicts.facts import Facts


class Noninferiority(AboutMargin):
    """By the interval's bound against the margin: Wellek (2010), Testing Statistical Hypotheses of Equivalence and
    Noninferiority, 2nd ed., chapter 2. A variant that is clear of zero too may be called better at the same level, for that is
    the stronger claim of two that are nested (Morikawa & Yoshida 1995, J. Biopharm. Stat. 5, 297-306)."""

    name, title = "noninferiority", "Is it at least not worse?"
    explanation = (
        "For what is cheaper, simpler or has to come. A variant may be taken when its interval leaves out every loss as large as "
        "the margin."
    )
    size_explanation = "The smallest loss that would be too much. It is chosen before the start."
    band_words = "a loss is accepted"
    boundary_words = "on the good side of the line to be called not worse"
    lines = "good"
    yes = "be shown not to be worse"
    verdicts = frozenset({
        "unsound", "trade_off", "winner", "not_worse", "keep_control", "unresolved", "keep_collecting",
    })  # fmt: skip

    def units_needed(self, request: PlanRequest, critical_value: float) -> SampleSize:
        return noninferiority_size(
            request.baseline,
            request.worthwhile_lift,
            request.arms,
            request.strictness,
            sign=request.sign,
            critical_value=critical_value,
        )

    def chance(self, request: PlanRequest, margin: float, total: float, critical_value: float) -> float:
        return noninferiority_power(
            total,
            request.baseline,
            margin,
            request.arms,
            request.strictness.confidence,
            sign=request.sign,
            critical_value=critical_value,
        )

    def needed_lift(self, half_width: float, size: float) -> float:
        return half_width - size

    def is_true(self, lift: float, size: float) -> bool:
        return lift > -size

    def shown(self, facts: Facts) -> BoolArray:
        return facts.at_margin.above_loss

    def refuted(self, facts: Facts) -> BoolArray:
        return facts.at_margin.below_loss

    def undoing(self, effect: Interval, size: float) -> float:
        return -(effect.low + size)

    def effect_conditions(
        self, best: Comparison | None, effect: Interval | None, letter: str, rule: DecisionRule, *, readable: bool
    ) -> list[Condition]:
        margin, side = rule.sign * -rule.worthwhile_lift, "above" if rule.sign > 0 else "below"
        if best is not None and best.posterior is not None and best.posterior.above_loss is not None:
            chance, sure = best.posterior.above_loss, rule.method.sure
            label = f"Probability that {letter} is not worse by {format_percent(margin)}"
            seen, required = format_probability(chance), f"at least {format_percent(sure)}"
            return [margin_condition(label, chance >= sure, seen, required, readable=readable)]
        label = f"Interval of {letter} {side} {format_lift(margin)}"
        if best is None or effect is None:
            return [margin_condition(label, None, "no data", f"{side} {format_lift(margin)}", readable=readable)]
        bound = effect.low if rule.sign > 0 else effect.high
        met = effect.turned(rule.sign).low > -rule.worthwhile_lift
        return [
            margin_condition(label, met, format_lift(bound), f"{side} {format_lift(margin)}", best, readable=readable)
        ]

    def win_words(self, rule: DecisionRule, *, several: bool) -> str:
        margin = format_lift(rule.sign * -rule.worthwhile_lift)
        where = f"{'above' if rule.sign > 0 else 'below'} {margin}"
        return rule.method.shown_words(rule, "A variant is not worse", where, several=several)

    def other_words(self, rule: DecisionRule, *, several: bool) -> Sequence[str]:
        margin, every = format_percent(rule.worthwhile_lift), "every variant" if several else "the variant"
        return (
            "If it is clear of zero too, it is better: that needs no further level.",
            f"Control is kept when {every} is shown to be worse by more than {margin}.",
        )

    def claim(self, variant: str, metric: str, size: str) -> str:
        return f"{variant} is not worse on {metric} by as much as {size}"

    def short_claim(self, letter: str, metric: str) -> str:
        return f"{letter} not worse on {metric}"

    def open_words(self, noun: str, size: str) -> str:
        within = f"the margin of {size}" if size else "the margin"
        return f"The interval holds both {noun}s within {within} and losses beyond it."

    def effect_words(self, metric: str, size: float, sign: int) -> str:
        return f"does not {'lower' if sign > 0 else 'raise'} {metric} by {format_percent(size)} or more"

    def sized_words(self, size: float) -> str:
        return f"to show of what does no harm that it is not worse by {format_percent(size)}"
