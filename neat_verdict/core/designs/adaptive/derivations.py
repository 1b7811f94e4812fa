"""How the figures of an adaptive design are made: stratified posteriors, the possible gain remaining, the gain so far."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from neat_verdict.core.checks import InputError
from neat_verdict.core.designs.adaptive.gain import gain_over_even
from neat_verdict.core.designs.adaptive.policy_value import SHARED, WAYS, PolicyValue
from neat_verdict.core.designs.adaptive.posteriors import possible_gain_remaining
from neat_verdict.core.designs.posteriors import (
    STRATIFIED_WORDS,
    posterior_steps,
    posteriors_or_refuse,
    stratified_posteriors,
)
from neat_verdict.core.periods import Period
from neat_verdict.core.statistics import two_sided_critical_value
from neat_verdict.core.text.format import format_full
from neat_verdict.core.text.statements import Derivation, Step, steps
from neat_verdict.core.variants import LETTERS

if TYPE_CHECKING:
    from neat_verdict.core.rule import DecisionRule


def remaining_derivation(rule: DecisionRule, periods: Sequence[Period]) -> Derivation:
    """The possible gain remaining. Raises InputError where the arms cannot be compared."""
    posteriors = posteriors_or_refuse(periods, rule)
    leader = max(range(len(posteriors)), key=lambda arm: rule.sign * posteriors[arm].mean)
    remaining = possible_gain_remaining(posteriors, sign=rule.sign, confidence=rule.confidence)
    return Derivation(
        "Possible gain remaining",
        "By so much, as a part of the leader’s level, another arm may still be better: with this certainty by no more. "
        f"{STRATIFIED_WORDS}",
        "P(gain ≤ x) = ∫ φ_b(t) · Π_{j≠b} Φ((t + x·m_b − m_j)/e_j) dt, b the leader;  the x at which it is the confidence, at "
        "least 0 (expected regret quantile)",
        "Scott (2010), section 4; by quadrature",
        (*posterior_steps(posteriors), Step("confidence", format_full(rule.confidence))),
        (Step("leader", LETTERS[leader]), Step("possible gain remaining", format_full(remaining))),
    )


def gain_derivation(rule: DecisionRule, periods: Sequence[Period]) -> Derivation:
    """What following the evidence was worth. Raises InputError where the arms cannot be compared."""
    c = two_sided_critical_value(rule.confidence)
    gain = gain_over_even(periods, c, sign=rule.sign)
    if gain is None:
        raise InputError("epochs", len(periods), "must have units of every variant to compare")
    groups: dict[str, list[Period]] = {}
    for period in periods:
        groups.setdefault(period.segment, []).append(period)
    inputs: list[Step] = []
    for segment, group in groups.items():
        mark = f"{segment}: " if segment else ""
        posteriors = stratified_posteriors(group, sign=rule.sign)
        for at in range(len(group[0].arms)):
            units = sum(period.arms[at].units for period in group)
            inputs.append(Step(f"{mark}n_{LETTERS[at]}", format_full(units)))
            if posteriors is not None:
                inputs.append(Step(f"{mark}m_{LETTERS[at]}", format_full(posteriors[at].mean)))
                inputs.append(Step(f"{mark}e_{LETTERS[at]}", format_full(posteriors[at].error)))
    return Derivation(
        "Gain over an even split",
        "What the units beyond an even split brought, and how many of them saw the best arm, which is known by its chance only. "
        f"{STRATIFIED_WORDS}",
        "gain = Σ(n − N/k)·m, error √Σ((n − N/k)·e)²;  spared = Σ p·(n − N/k), p the chance to be best, standard deviation "
        "√Σp(n − N/k − spared)²" + ("; segment by segment, then added" if len(groups) > 1 else ""),
        "Scott (2010) for the chances; the sums are plain",
        tuple(inputs),
        steps((
            ("critical value", c), ("spared", gain.spared.estimate), ("spared, from", gain.spared.low),
            ("spared, to", gain.spared.high), ("gain", gain.total.estimate), ("gain, from", gain.total.low),
            ("gain, to", gain.total.high),
        )),
    )  # fmt: skip


def policy_derivation(value: PolicyValue) -> Derivation:
    """What the policy, and each combination's best variant, would bring to all."""
    inputs = [
        Step("n", format_full(value.units)),
        Step("n_A", format_full(value.control)),
        *steps((f"V({way})", value.levels[way]) for way in WAYS),
        *steps((f"s²({way})", value.covariance[at][at]) for at, way in enumerate(WAYS)),
        *steps((f"s(control, {way})", value.covariance[0][at]) for at, way in enumerate(WAYS[1:], start=1)),
        Step("s(tailored, best)", format_full(value.covariance[2][3])),
    ]
    lifts = (("policy", value.policy), ("tailored", value.tailored), ("tailored over best", value.over_best))
    return Derivation(
        "Lift of the policy",
        "Read from the units that were shared out evenly whatever was seen, each weighing the chance that a way gives its "
        "variant in its combination, divided by the 1/k that it had; what is expected by the policy’s units (m) is taken out "
        f"first, which narrows the interval and shifts nothing. {SHARED} lifts share the level; V(best) is "
        f"{LETTERS[value.best]} for all.",
        "V(w) = Σ[Σ_a w(a|c)·m(c,a) + k·w(a_i|c)·(y_i − m(c,a_i))]/n;  lift = V(w)/V(control) − 1, Fieller’s interval by s² and "
        "s, the variances and covariances of these means",
        "Dudík, Erhan, Langford & Li (2014) (doubly robust); Fieller (1954)",
        tuple(inputs),
        steps((
            ("critical value", value.critical_value),
            *((f"{name}{end}", getattr(lift, bound)) for name, lift in lifts if lift is not None
              for end, bound in (("", "estimate"), (", from", "low"), (", to", "high"))),
        )),
    )  # fmt: skip
