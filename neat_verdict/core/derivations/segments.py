"""How figures of several segments or weeks together are made: partially pooled, stratified, followed over time."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

from neat_verdict.core.checks import InputError
from neat_verdict.core.derivations.parts import effects_as_steps, interval_steps
from neat_verdict.core.periods import log_ratio_within
from neat_verdict.core.rule import DecisionRule
from neat_verdict.core.statistics import Effect, comparable, partially_pool, trend, two_sided_critical_value
from neat_verdict.core.text.format import format_full
from neat_verdict.core.text.statements import Derivation, Step, steps
from neat_verdict.core.verdicts.segments import Strata, segment_effects, totals_of


def partially_pooled_derivation(effects: Mapping[str, Effect], name: str, rule: DecisionRule) -> Derivation:
    """A segment's lift drawn towards the mean of all. ``effects`` are log ratios with their variances, by segment.

    Raises InputError for a segment that has none, or fewer than two.
    """
    if name not in effects or len(effects) < 2:
        raise InputError("segment", name, f"has nothing to be drawn towards; known are {', '.join(effects) or 'none'}")
    result = partially_pool(list(effects.values()))
    place = list(effects).index(name)
    own, variance = effects[name]
    drawn = result.intervals(rule.confidence)[place]
    return Derivation(
        f"Partially pooled lift of {name}",
        "The segment’s log ratio drawn towards the mean of all segments, the more the larger its sampling error. It is the "
        "better estimate of a small segment’s lift. How far segments truly lie apart, τ, is not known: all its values "
        "count, each by its posterior.",
        "y = ln(m₁/m₀), v its variance;  given τ: w = 1/(v + τ²), μ = Σwy/Σw, k = τ²/(τ² + v), y* normal about μ + k(y − μ) with "
        "variance kv + (1 − k)²/Σw;  p(τ) ∝ 1/(1 + τ²/s²) · Π√w/√Σw · exp(−Σw(y − μ)²/2), s = 5/√(mean of 1/v);  integrated over "
        "τ, lift = e^y* − 1",
        "Gelman (2006), Bayesian Anal. 1, 515–534; Gelman et al., Bayesian Data Analysis (3rd ed.), 5.4; by quadrature",
        effects_as_steps(effects),
        (
            Step("s", format_full(result.scale)),
            Step("τ, on average", format_full(result.between)),
            Step("μ, on average", format_full(result.mean)),
            Step("kept of its own, on average", format_full(float(result.kept[place]))),
            Step("y", format_full(own)),
            Step("√v", format_full(math.sqrt(variance))),
            Step("y*", format_full(drawn.estimate)),
            *interval_steps(drawn.from_log_ratio()),
        ),
    )


def within_derivation(strata: Strata, rule: DecisionRule) -> Derivation:
    """The stratified estimate over all segments, each compared within itself. Raises InputError where it cannot be computed."""
    c = two_sided_critical_value(rule.confidence)
    title = "Lift, stratified by segment"
    usable = {name: pairs for name, pairs in strata.items() if comparable(totals_of(pairs))}
    effect = log_ratio_within(list(usable.values()))
    if effect is None:
        raise InputError("segments", len(strata), "must have conversions, or values above zero, in both variants")
    if any(len(pairs) != 1 for pairs in usable.values()):
        return Derivation(
            title,
            "Each segment’s lift is stratified by period; they are combined by inverse variance.",
            "ln R = Σ(y/v)/Σ(1/v), its variance 1/Σ(1/v)",
            "inverse variance: Cochran (1954), Biometrics 10, 101–129",
            effects_as_steps(segment_effects(usable)),
            _of_log(*effect, c),
        )
    notation = next(iter(usable.values()))[0].variant.notation
    return Derivation(
        title,
        "Each segment is compared within itself, and the comparisons are combined: a mix of segments that differs "
        "between the "
        "variants does not matter.",
        notation.within,
        notation.within_source,
        tuple(
            Step(f"{name}: {step.name}", step.value)
            for name, (pair,) in usable.items()
            for step in (*steps(pair.reference.inputs(), "₀"), *steps(pair.variant.inputs(), "₁"))
        ),
        _of_log(*effect, c),
    )


def trend_derivation(effects: Sequence[tuple[int, Effect]]) -> Derivation:
    """Whether lifts of successive groups rise or fall; ``effects`` are (place in time, log ratio with variance).

    Raises InputError with fewer than three.
    """
    result = trend([place for place, _ in effects], [effect for _, effect in effects])
    if result is None:
        raise InputError("weeks", len(effects), "must be 3 or more with something in each")
    return Derivation(
        "Change from week to week",
        "A straight line through the log ratios of the weeks, each weighing as much as it is certain; its "
        "slope is tested against "
        "zero.",
        "w = 1/v, t̄ = Σwt/Σw;  slope b = Σw(t − t̄)y/Σw(t − t̄)², error 1/√Σw(t − t̄)²;  p = 2(1 − Φ(|b|/error))",
        "Cochran (1954), Biometrics 10, 101–129",
        effects_as_steps({f"group {place + 1}": effect for place, effect in effects}),
        (
            Step("b", format_full(result.slope)),
            Step("error", format_full(result.error)),
            Step("z", format_full(result.slope / result.error)),
            Step("p", format_full(result.pvalue)),
        ),
    )


def _of_log(middle: float, variance: float, c: float) -> tuple[Step, ...]:
    error = math.sqrt(variance)
    return (
        Step("ln R", format_full(middle)),
        Step("its error", format_full(error)),
        Step("critical value", format_full(c)),
        Step("estimate", format_full(math.expm1(middle))),
        Step("from", format_full(math.expm1(middle - c * error))),
        Step("to", format_full(math.expm1(middle + c * error))),
    )
