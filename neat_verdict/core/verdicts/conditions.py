"""The lines of the decision rule, each with the figure seen and the figure required."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

from neat_verdict.core.checks import check_count
from neat_verdict.core.periods import Period, skewness_of_pairs
from neat_verdict.core.rule import DecisionRule
from neat_verdict.core.soundness import SPLIT_ALARM, OverlapCheck, SplitCheck
from neat_verdict.core.statistics import Arm, Comparison
from neat_verdict.core.statistics.skewness import LIMIT
from neat_verdict.core.stretches import pairs_of, read_on, stopped_in
from neat_verdict.core.text.format import (
    format_count,
    format_difference,
    format_lift,
    format_pvalue,
    format_share,
    plural,
)
from neat_verdict.core.text.statements import Condition, condition
from neat_verdict.core.verdicts.judging import MetricReading
from neat_verdict.core.verdicts.scale import LIFT as LIFT_SCALE
from neat_verdict.core.verdicts.scale import Scale

_SHOWN_FROM = 0.1  # of a skewness that moves an error rate by less nobody need know


def progress(arms: Sequence[Arm], rule: DecisionRule, periods: Sequence[Period] = ()) -> float | None:
    """Share of the planned data that is in, as the design counts it. None without a plan."""
    if rule.planned_units is None:
        return None
    return rule.information([arm.units for arm in arms], periods)


def minimum_conditions(
    arms: Sequence[Arm],
    days: int,
    rule: DecisionRule,
    looks_taken: int | None = None,
    periods: Sequence[Period] = (),
) -> list[Condition]:
    """Days, what the method waits for, and what the approximation needs; each only where the rule asks for it. Nothing is waited
    for of a variant that was stopped in the ``periods``."""
    check_count("days", days)
    lines = []
    if rule.minimum_days:
        weeks = " in whole weeks" if rule.minimum_days % 7 == 0 else ""
        label = f"Ran at least {plural(rule.minimum_days, 'day')}{weeks}"
        required = plural(rule.minimum_days, "day")
        lines.append(condition("days", "minimum", label, days >= rule.minimum_days, plural(days, "day"), required))
    awaited = rule.method.minimum_condition(rule, progress(arms, rule, periods), looks_taken)
    if awaited is not None:
        # The longest run is fixed beforehand too: it reads with what has come by then.
        at_end = (
            rule.method.reads_once and rule.longest_days is not None and days + rule.warm_up_days >= rule.longest_days
        )
        lines.append(replace(awaited, state="met") if at_end else awaited)
    arms = read_on(arms, periods)
    if rare := arms[0].notation.rare:
        # What the approximation rests on is not how many converted in the arm that did worse, but how many would have without a
        # difference: a clear success where fewer is better has few.
        expected = min(arms[0].smallest_expected_count(arm) for arm in arms[1:])
        required = format_count(rule.least_conversions)
        label = f"At least {plural(rule.least_conversions, rare)} expected a variant"
        met = expected >= rule.least_conversions
        lines.append(condition("conversions", "minimum", label, met, format_count(math.floor(expected)), required))
    if least := arms[0].least_replicates:
        seen = min(math.floor(arm.smallest_count) for arm in arms)
        label = f"Totals of at least {plural(least, arms[0].notation.replicate)} a variant"
        lines.append(condition("replicates", "minimum", label, seen >= least, format_count(seen), format_count(least)))
    return lines


def shape_conditions(periods: Sequence[Period]) -> list[Condition]:
    """Whether skewed values can be judged at these shares; left out of rates, of sums without a shape, and where it is small.

    There is a period or more.
    """
    stopped = stopped_in(periods)
    pairs = (pairs_of(periods, at) for at in range(1, len(periods[0].arms)) if at not in stopped)
    known = [one for one in map(skewness_of_pairs, pairs) if one is not None]
    worst = max(known, key=lambda one: abs(one.of_difference), default=None)
    if worst is None or abs(worst.of_difference) < _SHOWN_FROM:
        return []
    label, seen = "Skewness of the difference small enough to be corrected", f"{abs(worst.of_difference):.2g}"
    return [condition("skewness", "minimum", label, worst.trusted, seen, f"at most {LIMIT}")]


def soundness_conditions(split: SplitCheck, overlap: OverlapCheck | None, rule: DecisionRule) -> list[Condition]:
    """The split, and where days are known whether the variants ran as the design has it."""
    seen = f"p {format_pvalue(split.pvalue)}"
    required = f"p at least {SPLIT_ALARM}"
    lines = [condition("split", "soundness", "Split as planned", split.as_planned, seen, required)]
    if overlap is not None:
        apart = f"{format_share(overlap.apart_share, 0)} apart" if overlap.days_apart else ""
        seen = apart or f"p {format_pvalue(overlap.drift_pvalue)}"
        design = rule.design
        lines.append(
            condition("overlap", "soundness", design.overlap_label, overlap.same_time, seen, design.overlap_required)
        )
    return lines


def _by_difference(line: Condition, best: Comparison, rule: DecisionRule, scale: Scale) -> Condition:
    """A condition of the lift as one of the difference, which decides; others as they are."""
    if line.key != "clear":
        return line
    bound = best.difference.low if rule.sign > 0 else best.difference.high
    required = "above 0" if rule.sign > 0 else "below 0"
    if line.state == "unknown":
        return replace(line, required=required)
    label = line.label.replace("Interval", f"Interval of the {scale.noun}", 1)
    met = bound * rule.sign > 0
    return condition(line.key, line.subject, label, met, format_difference(bound), required)


def _least_gain(low: float) -> str:
    """The worse bound of a goal, positive where it is better: "at least 3.2% better"."""
    if not math.isfinite(low):
        return "not known"
    size = format_lift(abs(low)).removeprefix("+")
    return f"at least {size} better" if low > 0 else f"up to {size} worse"


def effect_conditions(
    best: Comparison | None,
    letter: str,
    rule: DecisionRule,
    others: Sequence[MetricReading],
    *,
    readable: bool,
    scale: Scale = LIFT_SCALE,
) -> list[Condition]:
    """What the method asks of the best variant's effect, then each guardrail; unknown until readable."""
    effect = None if best is None else scale.effect(best)
    lines = rule.question.effect_conditions(best, effect, letter, rule, readable=readable)
    if best is not None and scale.by_difference:
        lines = [_by_difference(line, best, rule, scale) for line in lines]
    for rail in rule.guardrails:
        result = next((line for line in others if line.metric == rail.metric and line.letter == letter), None)
        shown = "shown to be better" if rail.goal else "within its margin"
        required = "better than control" if rail.goal else f"no worse than {format_lift(-rail.margin)}"
        label = f"{rail.metric[0].upper()}{rail.metric[1:]} of {letter} {shown}"
        if result is None or not readable:
            seen = "no data" if not result else "not read yet"
            lines.append(Condition(rail.role, "effect", label, "unknown", seen, required))
        else:
            seen = _least_gain(result.low) if rail.goal else format_lift(result.low)
            lines.append(condition(rail.role, "effect", label, result.kept, seen, required))
    return lines
