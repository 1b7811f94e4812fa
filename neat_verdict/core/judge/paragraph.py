"""The decision rule as a paragraph, for people who will hold us to it."""

from __future__ import annotations

from collections.abc import Sequence

from neat_verdict.core.judge.rule import DecisionRule
from neat_verdict.core.judge.wording import count, plain, share

_SPENDING = {
    "obrien_fleming": "little of the chance of a false alarm is spent early (O’Brien–Fleming type)",
    "pocock": "the chance of a false alarm is spent evenly (Pocock type)",
}


def rule_in_words(rule: DecisionRule, weights: Sequence[float]) -> str:
    """The decision rule as a paragraph; ``weights`` is the planned split, for the number of variants."""
    sentences = [_when(rule), _winner(rule, several=len(weights) > 2), *_guardrails(rule), _no_difference(rule)]
    if rule.adaptive:
        sentences.insert(
            1,
            "Traffic follows the evidence, so variants are compared within each epoch, and none is called while another may "
            f"still be better than the leader by {plain(rule.worthwhile_lift)} or more.",
        )
    if rule.warm_up_days:
        days = "first day" if rule.warm_up_days == 1 else f"first {rule.warm_up_days} days"
        sentences.append(f"Units of the {days} are left out.")
    if rule.longest_days is not None:
        sentences.append(f"The run ends after {rule.longest_days} days, whatever has been seen.")
    shifted = "an epoch out of its shares" if rule.adaptive else "variants not observed at the same time"
    makes = "makes" if rule.adaptive else "make"
    sentences.append(
        f"A split that chance explains less than once in 1,000 times, or {shifted}, {makes} it unsound, whatever the lift."
    )
    return " ".join(sentences)


def _when(rule: DecisionRule) -> str:
    method = rule.method
    if method.kind == "fixed":
        parts = []
        if rule.minimum_days:
            parts.append(f"We read once, after at least {rule.minimum_days} days")
        if rule.planned_units is not None:
            per_arm = count(min(rule.planned_units))
            parts.append(f"{'and with' if parts else 'We read with'} at least {per_arm} units in each variant")
        return f"{' '.join(parts) or 'We read the counts as they stand'}."
    if method.kind == "looks":
        days = [str(day) for day in rule.look_days]
        told = f"{', '.join(days[:-1])} and {days[-1]}" if len(days) > 1 else days[0]
        return f"We look after day {told} and at no other time; {_SPENDING[method.spending]}."
    least = f", from day {rule.minimum_days} on" if rule.minimum_days else ""
    end = f" up to day {rule.longest_days or rule.planned_days}" if rule.planned_days else ""
    return f"We may read on any day{least}{end}."


def _winner(rule: DecisionRule, *, several: bool) -> str:
    method = rule.method
    enough = f"and each variant has at least {count(rule.least_conversions)} conversions"
    if method.kind == "bayesian":
        return (
            f"A variant wins when it is better than control with a probability of {plain(method.superiority)} or more, choosing "
            f"it loses on average no more than {plain(method.expected_loss)} of control’s level, {enough}."
        )
    way = "above" if rule.sign > 0 else "below"
    sure = share(rule.confidence, 0)
    subject = f"its whole {sure} interval lies" if method.sides == "two" else f"its one-sided {sure} bound lies"
    allowing = [
        *(["for all variants together"] if several else []),
        *({"looks": ["for all looks together"], "anytime": ["for being read at any time"]}.get(method.kind, [])),
    ]
    allowed = f", allowing {' and '.join(allowing)}," if allowing else ""
    return f"A variant wins when {subject} {way} zero{allowed} {enough}."


def _guardrails(rule: DecisionRule) -> list[str]:
    if not rule.guardrails:
        return []
    told = "; ".join(f"{rail.metric} no more than {plain(rail.margin)} worse" for rail in rule.guardrails)
    return [f"It must also be shown to keep within every margin: {told}."]


def _no_difference(rule: DecisionRule) -> str:
    interval = "A credible interval" if rule.method.kind == "bayesian" else "An interval"
    return f"{interval} inside ±{plain(rule.worthwhile_lift)} is no worthwhile difference."
