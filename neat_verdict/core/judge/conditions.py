"""The lines of the decision rule, each with the figure seen and the figure required."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from neat_verdict.core.estimate import Arm, Comparison, Posterior, Rate
from neat_verdict.core.judge.rule import DecisionRule, SideReading
from neat_verdict.core.judge.wording import count, plain, pvalue, share, signed
from neat_verdict.core.soundness import SPLIT_ALARM, OverlapCheck, SplitCheck

State = Literal["met", "not_met", "unknown"]


@dataclass(frozen=True, slots=True)
class Condition:
    """``subject`` says what kind it is: the rule's minimum, the soundness of the data, or the effect."""

    key: str
    subject: Literal["minimum", "soundness", "effect"]
    label: str
    state: State
    seen: str
    required: str


def progress(arms: Sequence[Arm], rule: DecisionRule) -> float | None:
    """Share of the planned data that is in: that of the arm furthest behind. None without a plan."""
    if rule.planned_units is None:
        return None
    return rule.information([arm.units for arm in arms])


def minimum_conditions(
    arms: Sequence[Arm], days: int, rule: DecisionRule, looks_taken: int | None = None
) -> list[Condition]:
    """Days, sample or look, and conversions (of rates); each only where the rule asks for it."""
    lines = []
    if rule.minimum_days:
        weeks = " in whole weeks" if rule.minimum_days % 7 == 0 else ""
        label = f"Ran at least {rule.minimum_days} days{weeks}"
        met: State = "met" if days >= rule.minimum_days else "not_met"
        lines.append(Condition("days", "minimum", label, met, f"{days} days", f"{rule.minimum_days} days"))
    part = progress(arms, rule)
    if part is not None and rule.planned_units is not None and rule.method.kind == "fixed":
        met = "met" if part >= 1 else "not_met"
        required = f"{count(min(rule.planned_units))} units a variant"
        lines.append(Condition("sample", "minimum", "Reached the planned sample", met, share(part, 0), required))
    if rule.method.kind == "looks" and looks_taken is not None:
        met = "met" if looks_taken else "not_met"
        seen = f"{looks_taken} of {len(rule.look_days)} looks taken"
        first = f"the first after day {rule.look_days[0]}"
        lines.append(Condition("look", "minimum", "A planned look was taken", met, seen, first))
    converted = [arm.conversions for arm in arms if isinstance(arm, Rate)]
    if converted:
        met = "met" if min(converted) >= rule.least_conversions else "not_met"
        label = f"At least {count(rule.least_conversions)} conversion{'s' * (rule.least_conversions != 1)} a variant"
        required = count(rule.least_conversions)
        lines.append(Condition("conversions", "minimum", label, met, count(min(converted)), required))
    return lines


def soundness_conditions(split: SplitCheck, overlap: OverlapCheck | None, *, adaptive: bool = False) -> list[Condition]:
    """The split, and where days are known whether the variants ran side by side, or in the shares set for each epoch."""
    state: State = "met" if split.as_planned else "not_met"
    required = f"p at least {SPLIT_ALARM}"
    lines = [Condition("split", "soundness", "Split as planned", state, f"p {pvalue(split.pvalue)}", required)]
    if overlap is not None:
        state = "met" if overlap.same_time else "not_met"
        seen = f"{share(overlap.apart_share, 0)} apart" if overlap.days_apart else f"p {pvalue(overlap.drift_pvalue)}"
        label = "Every epoch in the shares set for it" if adaptive else "Variants observed at the same time"
        wanted = f"p at least {SPLIT_ALARM}" if adaptive else "same shares every day"
        lines.append(Condition("overlap", "soundness", label, state, seen, wanted))
    return lines


def effect_conditions(
    best: Comparison | None, letter: str, rule: DecisionRule, others: Sequence[SideReading], *, readable: bool
) -> list[Condition]:
    """The best variant against zero, or its posterior against the thresholds, then each guardrail; unknown until readable."""
    if best is not None and best.posterior is not None:
        lines = _posterior_conditions(best.posterior, letter, rule, readable=readable)
    else:
        lines = [_clear_condition(best, letter, rule, readable=readable)]
    for rail in rule.guardrails:
        found = next((line for line in others if line.metric == rail.metric and line.letter == letter), None)
        required = f"no worse than {signed(-rail.margin)}"
        label = f"{rail.metric[0].upper()}{rail.metric[1:]} of {letter} within its margin"
        if found is None or not readable:
            lines.append(
                Condition("guardrail", "effect", label, "unknown", "no data" if not found else "not read yet", required)
            )
        else:
            lines.append(
                Condition("guardrail", "effect", label, "met" if found.kept else "not_met", signed(found.low), required)
            )
    return lines


def _clear_condition(best: Comparison | None, letter: str, rule: DecisionRule, *, readable: bool) -> Condition:
    if best is None:
        return Condition("clear", "effect", "Interval clear of zero", "unknown", "no data", "above 0%")
    bound = best.lift.low if rule.sign > 0 else best.lift.high
    clear = bound * rule.sign > 0
    state: State = ("met" if clear else "not_met") if readable else "unknown"
    required = "above 0%" if rule.sign > 0 else "below 0%"
    seen = signed(bound) if readable else "not read yet"
    return Condition("clear", "effect", f"Interval of {letter} clear of zero", state, seen, required)


def _posterior_conditions(posterior: Posterior, letter: str, rule: DecisionRule, *, readable: bool) -> list[Condition]:
    method = rule.method
    found = (
        ("superiority", f"Probability that {letter} is better", posterior.superiority >= method.superiority,
         share(posterior.superiority), f"at least {plain(method.superiority)}"),
        ("loss", f"Expected loss of choosing {letter}", posterior.expected_loss <= method.expected_loss,
         share(posterior.expected_loss, 2), f"at most {plain(method.expected_loss)}"),
    )  # fmt: skip
    return [
        Condition(key, "effect", label, ("met" if kept else "not_met") if readable else "unknown",
                  seen if readable else "not read yet", required)
        for key, label, kept, seen, required in found
    ]  # fmt: skip
