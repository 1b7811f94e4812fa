"""How figures of several segments or weeks together are made: drawn towards their mean, put together, followed over time."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

from neat_verdict.core.checks import InputError
from neat_verdict.core.estimate import Arm, Effect, Rate, log_ratio_within, pool, trend, two_sided_critical_value
from neat_verdict.core.judge.rule import DecisionRule
from neat_verdict.core.judge.workings.parts import Step, Working, counted, effects_as_steps, full

_POOLED = "wᵢ = 1/vᵢ, ȳ = Σwy/Σw, Q = Σw(y − ȳ)², τ² = max(0, (Q − (k − 1))/(Σw − Σw²/Σw))"


def shrunken_working(effects: Mapping[str, Effect], name: str, rule: DecisionRule) -> Working:
    """A segment's lift drawn towards the mean of all. ``effects`` are log ratios with their variances, by segment.

    Raises InputError for a segment that has none, or fewer than two.
    """
    if name not in effects or len(effects) < 2:
        raise InputError("segment", name, f"has nothing to be drawn towards; known are {', '.join(effects) or 'none'}")
    found = pool(list(effects.values()))
    place = list(effects).index(name)
    own, variance = effects[name]
    drawn, error = found.shrunken[place][0], math.sqrt(found.shrunken[place][1])
    c = two_sided_critical_value(rule.confidence)
    return Working(
        f"Shrunken lift of {name}",
        "The segment’s log ratio drawn towards the mean of all segments, by as much as chance spreads them: "
        "the better guess of a "
        "small segment’s lift.",
        f"y = ln(m₁/m₀), v its variance;  {_POOLED};  μ = Σy/(v + τ²) / Σ1/(v + τ²);  y* = μ + τ²/(τ² + v)·(y "
        "− μ);  lift = e^y* − 1",
        "DerSimonian & Laird (1986), Controlled Clinical Trials 7, 177–188",
        effects_as_steps(effects),
        (
            Step("Q", full(found.heterogeneity)), Step("τ²", full(found.between)), Step("μ", full(found.mean)),
            Step("kept of its own", full(found.between / (found.between + variance))), Step("y", full(own)),
            Step("y*", full(drawn)), Step("estimate", full(math.expm1(drawn))),
            Step("from", full(math.expm1(drawn - c * error))), Step("to", full(math.expm1(drawn + c * error))),
        ),
    )  # fmt: skip


def within_working(strata: Mapping[str, tuple[Arm, Arm]], rule: DecisionRule) -> Working:
    """One lift over all segments, each compared within itself; ``strata`` are (variant, control) by segment.

    Raises InputError where it cannot be told.
    """
    effect = log_ratio_within(list(strata.values()))
    if effect is None:
        raise InputError("segments", len(strata), "must have conversions, or values above zero, in both variants")
    rates = all(isinstance(arm, Rate) for arms in strata.values() for arm in arms)
    middle, error = effect[0], math.sqrt(effect[1])
    c = two_sided_critical_value(rule.confidence)
    return Working(
        "Lift, each segment within itself",
        "Each segment is compared within itself, and the comparisons are put together: a mix of segments "
        "that differs between the "
        "variants does not matter.",
        "R = Σ(x₁n₀/N)/Σ(x₀n₁/N), N = n₁ + n₀;  variance of ln R: Σ((x₁ + x₀)n₁n₀/N² − x₁x₀/N) / (Σ(x₁n₀/N)·Σ(x₀n₁/N))"
        if rates
        else "y = ln(m₁/m₀), v its variance;  ln R = Σ(y/v)/Σ(1/v), its variance 1/Σ(1/v)",
        "Mantel & Haenszel (1959), J. Natl. Cancer Inst. 22, 719–748; Greenland & Robins (1985), Biometrics 41, 55–68"
        if rates
        else "inverse variance: Cochran (1954), Biometrics 10, 101–129",
        tuple(
            Step(f"{name}: {step.name}", step.value)
            for name, (variant, control) in strata.items()
            for step in (*counted(control, "₀"), *counted(variant, "₁"))
        ),
        _of_log(middle, error, c),
    )


def pooled_working(effects: Mapping[str, Effect], rule: DecisionRule) -> Working:
    """The same where traffic followed the evidence: log ratios that are by epoch already, put together by inverse variance.

    Raises InputError without any.
    """
    if not effects:
        raise InputError("segments", 0, "must be 1 or more with something to compare")
    found = pool(list(effects.values()))
    c = two_sided_critical_value(rule.confidence)
    return Working(
        "Lift, each segment within itself",
        "Each segment’s lift is by epoch; they are put together by how certain each is.",
        "ln R = Σ(y/v)/Σ(1/v), its variance 1/Σ(1/v)",
        "inverse variance: Cochran (1954), Biometrics 10, 101–129",
        effects_as_steps(effects),
        _of_log(found.effect, math.sqrt(found.squared_error), c),
    )


def trend_working(effects: Sequence[tuple[int, Effect]]) -> Working:
    """Whether lifts of successive groups rise or fall; ``effects`` are (place in time, log ratio with variance).

    Raises InputError with fewer than three.
    """
    found = trend([place for place, _ in effects], [effect for _, effect in effects])
    if found is None:
        raise InputError("weeks", len(effects), "must be 3 or more with something in each")
    return Working(
        "Change from week to week",
        "A straight line through the log ratios of the weeks, each weighing as much as it is certain; its "
        "slope is tested against "
        "zero.",
        "w = 1/v, t̄ = Σwt/Σw;  slope b = Σw(t − t̄)y/Σw(t − t̄)², error 1/√Σw(t − t̄)²;  p = 2(1 − Φ(|b|/error))",
        "Cochran (1954), Biometrics 10, 101–129",
        effects_as_steps({f"group {place + 1}": effect for place, effect in effects}),
        (
            Step("b", full(found.slope)), Step("error", full(found.error)), Step("z", full(found.slope / found.error)),
            Step("p", full(found.pvalue)),
        ),
    )  # fmt: skip


def _of_log(middle: float, error: float, c: float) -> tuple[Step, ...]:
    return (
        Step("ln R", full(middle)), Step("its error", full(error)), Step("critical value", full(c)),
        Step("estimate", full(math.expm1(middle))), Step("from", full(math.expm1(middle - c * error))),
        Step("to", full(math.expm1(middle + c * error))),
    )  # fmt: skip
