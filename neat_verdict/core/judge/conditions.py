"""The lines of the decision rule, each with the figure seen and the figure required."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from neat_verdict.core.estimate import Comparison, Rate
from neat_verdict.core.judge.rule import DecisionRule
from neat_verdict.core.judge.wording import count, pvalue, share, signed
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


def progress(arms: Sequence[Rate], rule: DecisionRule) -> float | None:
    """Share of the planned data that is in: that of the arm furthest behind. None without a plan."""
    if rule.planned_units is None:
        return None
    return min(arm.units / planned for arm, planned in zip(arms, rule.planned_units, strict=True))


def minimum_conditions(arms: Sequence[Rate], days: int, rule: DecisionRule) -> list[Condition]:
    """Days, sample and conversions; the first two only where the rule asks for them."""
    lines = []
    if rule.minimum_days:
        weeks = " in whole weeks" if rule.minimum_days % 7 == 0 else ""
        label = f"Ran at least {rule.minimum_days} days{weeks}"
        met: State = "met" if days >= rule.minimum_days else "not_met"
        lines.append(Condition("days", "minimum", label, met, f"{days} days", f"{rule.minimum_days} days"))
    part = progress(arms, rule)
    if part is not None and rule.planned_units is not None:
        met = "met" if part >= 1 else "not_met"
        required = f"{count(min(rule.planned_units))} units a variant"
        lines.append(Condition("sample", "minimum", "Reached the planned sample", met, share(part, 0), required))
    fewest = min(arm.conversions for arm in arms)
    met = "met" if fewest >= rule.least_conversions else "not_met"
    label = f"At least {count(rule.least_conversions)} conversions a variant"
    lines.append(Condition("conversions", "minimum", label, met, count(fewest), count(rule.least_conversions)))
    return lines


def soundness_conditions(split: SplitCheck, overlap: OverlapCheck | None) -> list[Condition]:
    """The split, and where days are known whether the variants ran side by side."""
    state: State = "met" if split.as_planned else "not_met"
    required = f"p at least {SPLIT_ALARM}"
    lines = [Condition("split", "soundness", "Split as planned", state, f"p {pvalue(split.pvalue)}", required)]
    if overlap is not None:
        state = "met" if overlap.same_time else "not_met"
        seen = f"{share(overlap.apart_share, 0)} apart" if overlap.days_apart else f"p {pvalue(overlap.drift_pvalue)}"
        label = "Variants observed at the same time"
        lines.append(Condition("overlap", "soundness", label, state, seen, "same shares every day"))
    return lines


def effect_condition(best: Comparison | None, letter: str, rule: DecisionRule, readable: bool) -> Condition:
    """The interval of the best variant against zero; not known before the rule may be read."""
    if best is None:
        return Condition("clear", "effect", "Interval clear of zero", "unknown", "no data", "above 0%")
    bound = best.lift.low if rule.sign > 0 else best.lift.high
    clear = bound * rule.sign > 0
    state: State = ("met" if clear else "not_met") if readable else "unknown"
    required = "above 0%" if rule.sign > 0 else "below 0%"
    seen = signed(bound) if readable else "not read yet"
    return Condition("clear", "effect", f"Interval of {letter} clear of zero", state, seen, required)
