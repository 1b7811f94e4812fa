"""What an estimate is worth where a run ends by what was seen: adjusted for stopping, if the way of reading has such a one."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

from neat_verdict.core.checks import check_positive
from neat_verdict.core.statistics import Interval
from neat_verdict.core.text.names import Names

if TYPE_CHECKING:
    from neat_verdict.core.rule import DecisionRule
    from neat_verdict.core.verdicts.reading import Reading


@dataclass(frozen=True, slots=True)
class AfterStopping:
    """``factor`` times the estimate is unbiased in the median over all runs; ``shown_if_worthwhile`` is the mean effect that runs
    show which win at this look, were the true one the worthwhile; None where that is not known."""

    factor: float
    shown_if_worthwhile: float | None


def after_stopping(reading: Reading, rule: DecisionRule, position: int) -> AfterStopping | None:
    """Of a variant, by position; None where the estimate needs no adjustment, or none is known for the way of reading."""
    if not reading.comparisons or not rule.question.about_zero:
        return None
    comparison, looks = reading.comparisons[position - 1], reading.reached.looks
    confidence = rule.method.comparison_confidence(rule.confidence, len(reading.comparisons))
    factor = rule.method.stopping_factor(comparison.statistic, confidence, reading.reached)
    if factor is None:
        return None
    level = reading.scale.unit_size if reading.scale.by_difference else comparison.reference.estimate
    error = comparison.error
    if not (reading.scale.size_known and math.isfinite(error) and error > 0 and level > 0):
        return AfterStopping(factor, None)
    per_drift = error * math.sqrt(looks[-1]) / level
    shown = rule.method.mean_at_stop(rule.worthwhile_lift / per_drift, confidence, reading.reached)
    return AfterStopping(factor, None if shown is None else shown * per_drift)


def adjusted_effect(reading: Reading, rule: DecisionRule, position: int) -> float | None:
    """The effect of a variant adjusted for stopping; None as `after_stopping`, or where there is no effect."""
    after, effect = after_stopping(reading, rule, position), reading.effect(position).estimate
    return effect * after.factor if after is not None and math.isfinite(effect) else None


def adjusted_by(interval: Interval, factor: float | None) -> Interval:
    """An interval whose estimate is adjusted for stopping; its bounds allow for the looks as they are. Raises InputError for a
    factor that is not above 0."""
    if factor is None:
        return interval
    return Interval(interval.estimate * check_positive("factor", factor), interval.low, interval.high)


def stopping_words(reading: Reading, rule: DecisionRule, names: Names) -> str:
    """What a winner's estimate is worth, as sentences with a space before them; "" where it needs no adjustment."""
    position = reading.spoken_of
    after, effect = after_stopping(reading, rule, position), adjusted_effect(reading, rule, position)
    if after is None or effect is None:
        return f" {rule.method.not_adjusted}" if rule.method.not_adjusted and rule.question.about_zero else ""
    scale = reading.scale
    words = f" Adjusted for when the run ended, the estimate is {scale.effect_words(effect, names)}."
    if after.shown_if_worthwhile is not None:
        worthwhile = scale.effect_words(rule.sign * rule.worthwhile_lift, names)
        shown = scale.effect_words(rule.sign * after.shown_if_worthwhile, names)
        words += f" Were the true {scale.noun} {worthwhile}, runs that win at this look would show {shown} on average."
    return words
