"""Is the variant the same as control, within a margin to both sides?"""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from neat_verdict.core.numeric import BoolArray
from neat_verdict.core.questions.about_margin import AboutMargin, margin_condition
from neat_verdict.core.sizing.margins import equivalence_power, equivalence_size
from neat_verdict.core.sizing.sample_size import SampleSize
from neat_verdict.core.text.format import format_interval, format_percent, format_probability

if TYPE_CHECKING:
    from neat_verdict.core.planning.request import PlanRequest
    from neat_verdict.core.rule import DecisionRule
    from neat_verdict.core.statistics import Comparison, Interval
    from neat_verdict.core.text.statements import Condition
    from neat_verdict.core.verdicts.facts import Facts


class Equivalence(AboutMargin):
    """Two one-sided tests: both bounds of the interval lie within the margin. Schuirmann (1987), J. Pharmacokinet. Biopharm. 15,
    657-680; Wellek (2010), Testing Statistical Hypotheses of Equivalence and Noninferiority, 2nd ed., chapter 3. With both bounds
    of a 95 % interval each test is made at 2.5 %; where each bound holds at 95 % (one-sided), at 5 %."""

    name, title = "equivalence", "Is it the same?"
    explanation = (
        "For what must change nothing: a new system, a new supplier. A variant is the same when its whole interval lies within "
        "the margin, to both sides."
    )
    size_explanation = "The smallest difference, up or down, that would matter. It is chosen before the start."
    band_words = "a difference does not matter"
    boundary_words = "between the lines to be called the same"
    yes = "be shown to be the same"
    verdicts = frozenset({"unsound", "trade_off", "the_same", "not_the_same", "unresolved", "keep_collecting"})
    both_bounds = True

    def units_needed(self, request: PlanRequest, critical_value: float) -> SampleSize:
        return equivalence_size(
            request.baseline, request.worthwhile_lift, request.arms, request.strictness, critical_value=critical_value
        )

    def chance(self, request: PlanRequest, margin: float, total: float, critical_value: float) -> float:
        return equivalence_power(
            total,
            request.baseline,
            margin,
            request.arms,
            request.strictness.confidence,
            critical_value=critical_value,
        )

    def needed_lift(self, half_width: float, size: float) -> float:
        return size - half_width

    def is_true(self, lift: float, size: float) -> bool:
        return abs(lift) < size

    def shown(self, facts: Facts) -> BoolArray:
        return facts.at_margin.inside

    def refuted(self, facts: Facts) -> BoolArray:
        return facts.at_margin.below_loss | facts.at_margin.above_gain

    def undoing(self, effect: Interval, size: float) -> float:
        return min(-(effect.low + size), size - effect.high, key=abs)

    def effect_conditions(
        self, best: Comparison | None, effect: Interval | None, letter: str, rule: DecisionRule, *, readable: bool
    ) -> list[Condition]:
        margin = format_percent(rule.worthwhile_lift)
        posterior = None if best is None else best.posterior
        if posterior is not None and posterior.above_loss is not None and posterior.below_gain is not None:
            chance, sure = posterior.above_loss + posterior.below_gain - 1, rule.method.sure
            label = f"Probability that {letter} lies within ±{margin}"
            required = f"at least {format_percent(sure)}"
            return [margin_condition(label, chance >= sure, format_probability(chance), required, readable=readable)]
        label = f"Interval of {letter} within ±{margin}"
        if best is None or effect is None:
            return [margin_condition(label, None, "no data", f"within ±{margin}", readable=readable)]
        met = -rule.worthwhile_lift < effect.low and effect.high < rule.worthwhile_lift
        seen = format_interval(effect.low, effect.high)
        return [margin_condition(label, met, seen, f"within ±{margin}", best, readable=readable)]

    def win_words(self, rule: DecisionRule, *, several: bool) -> str:
        where = f"within ±{format_percent(rule.worthwhile_lift)}"
        return rule.method.shown_words(rule, "A variant is the same", where, several=several, both=True)

    def other_words(self, rule: DecisionRule, *, several: bool) -> Sequence[str]:
        margin, every = format_percent(rule.worthwhile_lift), "every variant" if several else "the variant"
        return (f"It is not the same when {every} is shown to lie beyond {margin}, to either side.",)

    def claim(self, variant: str, metric: str, size: str) -> str:
        return f"{variant} is the same on {metric}, within ±{size}"

    def short_claim(self, letter: str, metric: str) -> str:
        return f"{letter} the same on {metric}"

    def open_words(self, noun: str, size: str) -> str:
        within = f"±{size}" if size else "the margin"
        return f"The interval holds both {noun}s within {within} and larger ones."

    def effect_words(self, metric: str, size: float, _sign: int) -> str:
        return f"leaves {metric} the same, within ±{format_percent(size)}"

    def sized_words(self, size: float) -> str:
        return f"to show of what changes nothing that it is the same within ±{format_percent(size)}"
