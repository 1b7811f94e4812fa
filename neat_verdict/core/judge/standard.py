"""The one standard of a reading: a critical value shared by intervals, p-values and the verdict."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from scipy import special

from neat_verdict.core.estimate import (
    Arm,
    Comparison,
    anytime_critical_value,
    anytime_pvalue,
    arm_statistic,
    boundary,
    compare_arms_at,
    compare_posterior,
    critical_value,
    dunnett_critical_value,
    dunnett_pvalue,
    repeated_pvalue,
)
from neat_verdict.core.judge.rule import DecisionRule


@dataclass(frozen=True, slots=True)
class Standard:
    """``adjusted_pvalue`` takes a statistic (positive is good) and allows for variants and repeated readings.

    It lies below 1 - confidence exactly when the statistic lies beyond ``critical_value``; two-sided or one-sided as the rule.
    """

    critical_value: float
    adjusted_pvalue: Callable[[float], float]


def standard_of(
    rule: DecisionRule, units: Sequence[int], information: Sequence[float] = (), *, last: bool = True
) -> Standard:
    """The standard by which comparisons of arms with these ``units`` (control first) are read now.

    ``information`` are the shares of the planned data at the planned looks taken so far, this one included; ``last`` says
    that it is the last there will be. Both matter to planned looks only.
    """
    method, comparisons = rule.method, len(units) - 1
    one_sided = method.sides == "one"
    if method.kind in ("fixed", "bayesian"):
        c = dunnett_critical_value(rule.confidence, units[0], units[1:], method.sides)
        return Standard(c, lambda z: dunnett_pvalue(z, units[0], units[1:], method.sides))
    if method.kind == "anytime":
        return anytime_standard(rule, rule.information(units), comparisons)
    one = method.confidence_of_one(rule.confidence, comparisons)
    c = boundary(information, one, method.spending, final=last).critical_values[-1]
    return _for_all(c, lambda z: repeated_pvalue(z, information, method.spending, final=last), comparisons, one_sided)


def anytime_standard(rule: DecisionRule, fraction: float, comparisons: int) -> Standard:
    """The standard of a reading at any time, of one of several comparisons, with a ``fraction`` of its planned data in."""
    one = rule.method.confidence_of_one(rule.confidence, comparisons)
    c = float(anytime_critical_value(fraction, one))
    return _for_all(c, lambda z: anytime_pvalue(z, fraction, one), comparisons, rule.method.sides == "one")


def pair_critical_value(
    rule: DecisionRule, pairs: int, fraction: float, information: Sequence[float] = (), *, last: bool = True
) -> float:
    """Two-sided critical value of one of several ``pairs`` of arms, which share the level by Bonferroni.

    It holds as the rule reads: at any time with a ``fraction`` of the planned data in, at all looks at ``information``, or once.
    """
    one = 1 - (1 - rule.confidence) / pairs
    if rule.method.kind == "anytime":
        return float(anytime_critical_value(fraction, one))
    if rule.method.kind == "looks":
        return boundary(information, one, rule.method.spending, final=last).critical_values[-1]
    return critical_value(one)


def _for_all(c: float, level: Callable[[float], float], comparisons: int, one_sided: bool) -> Standard:
    def adjusted(z: float) -> float:
        if not one_sided:
            return min(1.0, comparisons * level(z))
        return 1.0 if z <= 0 else min(1.0, comparisons * level(z) / 2)

    return Standard(c, adjusted)


def compare_arms(arms: Sequence[Arm], rule: DecisionRule, standard: Standard) -> tuple[Comparison, ...]:
    """Each variant against control, ``arms`` of one kind with control first, each with enough units to compare."""
    control, compared = arms[0], []
    for arm in arms[1:]:
        if rule.method.kind == "bayesian":
            compared.append(compare_posterior(arm, control, rule.confidence, sign=rule.sign))
            continue
        z = arm_statistic(arm, control) * rule.sign
        single = float(special.ndtr(-z)) if rule.method.sides == "one" else None
        adjusted = standard.adjusted_pvalue(z)
        compared.append(compare_arms_at(arm, control, standard.critical_value, adjusted, pvalue=single))
    return tuple(compared)
