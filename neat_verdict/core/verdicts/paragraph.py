"""The decision rule as a paragraph, for people who will hold us to it."""

from __future__ import annotations

from collections.abc import Sequence

from neat_verdict.core.checks import check_positive
from neat_verdict.core.rule import DecisionRule
from neat_verdict.core.text.format import format_share, plural


def rule_in_words(rule: DecisionRule, weights: Sequence[float]) -> str:
    """The decision rule as a paragraph; ``weights`` is the planned split, for the number of variants."""
    for weight in weights:
        check_positive("weights", weight)
    sentences = [
        rule.method.when_words(rule),
        *rule.design.rule_words(rule),
        *rule.question.words(rule, several=len(weights) > 2),
    ]
    if rule.strata:
        sentences.append(
            f"Variants are compared within the segments of {rule.strata}, which are put together by their parts of all units."
        )
    if rule.warm_up_days:
        days = "first day" if rule.warm_up_days == 1 else f"first {rule.warm_up_days} days"
        sentences.append(f"Units of the {days} are left out.")
    if rule.window_days:
        sentences.append(
            f"Units are read once the time in which they count is over, {plural(rule.window_days, 'day')} after they came."
        )
    if rule.longest_days is not None:
        run = "The run ends" if rule.rounds == 1 else "Each round ends"
        longest = plural(rule.longest_days // rule.rounds, "day")
        sentences.append(f"{run} after {longest}, whatever has been seen.")
    if rule.reachable_power is not None:
        shown = rule.question.shown_in_time(format_share(rule.reachable_lift) if rule.reachable_lift else "")
        sentences.append(
            f"By then it can show {shown} with the planned power; {rule.question.size_words(rule)} only "
            f"{format_share(rule.reachable_power, 0)} of the time."
        )
    sentences.append(
        "A split that chance explains less than once in 1,000 times, or "
        f"{rule.design.overlap_words} it unsound, whatever the lift."
    )
    return " ".join(sentences)
