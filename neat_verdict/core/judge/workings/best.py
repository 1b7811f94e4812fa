"""How chances to be the best are made, and what they lead to: value remaining, gain over an even split, posterior of one."""

from __future__ import annotations

from collections.abc import Sequence

from neat_verdict.core.allocate import Belief, fair_beliefs, gain_over_even, value_remaining
from neat_verdict.core.checks import InputError
from neat_verdict.core.estimate import (
    Arm,
    Comparison,
    EpochArms,
    Rate,
    chances_to_be_best,
    normal_best_chances,
    two_sided_critical_value,
)
from neat_verdict.core.judge.rule import DecisionRule
from neat_verdict.core.judge.workings.parts import Step, Working, full
from neat_verdict.core.traffic import LETTERS

_BEST = "P(a is best) = ∫ f_a(t) · Π_{j≠a} F_j(t) dt"
_FAIR = (
    "An arm’s level is that of the leader and its distance from the leader by epoch; its error makes the "
    "distance as uncertain as "
    "that comparison is."
)


def chance_working(arms: Sequence[Arm], rule: DecisionRule, epochs: Sequence[EpochArms], letter: str) -> Working:
    """The chance of an arm to be the best of all. Raises InputError where the arms cannot be compared."""
    place = LETTERS.index(letter)
    if rule.adaptive:
        beliefs = _beliefs(epochs, rule)
        chances = normal_best_chances([b.mean for b in beliefs], [b.error for b in beliefs], sign=rule.sign)
        inputs, words = _believed(beliefs), f" {_FAIR}"
    else:
        chances = chances_to_be_best(arms, rule.sign)
        inputs = tuple(step for at, arm in enumerate(arms) for step in _posterior(arm, LETTERS[at]))
        words = " Rates have Beta(x + 1, n − x + 1) posteriors, means and ratios normal ones."
    return Working(
        f"Chance of {letter} to be best",
        f"How likely its true level is the best of all, by what was counted and nothing else.{words}",
        f"{_BEST}, f and F density and distribution of the arms’ levels"
        + ("" if rule.sign > 0 else "; 1 − F, for less is better"),
        "Scott (2010), Appl. Stoch. Models Bus. Ind. 26, 639–658; by quadrature",
        inputs,
        (
            *(Step(LETTERS[at], full(p)) for at, p in enumerate(chances) if at != place),
            Step(letter, full(chances[place])),
        ),
    )


def remaining_working(rule: DecisionRule, epochs: Sequence[EpochArms]) -> Working:
    """The value remaining. Raises InputError where the arms cannot be compared."""
    beliefs = _beliefs(epochs, rule)
    leader = max(range(len(beliefs)), key=lambda arm: rule.sign * beliefs[arm].mean)
    return Working(
        "Value remaining",
        "By so much, as a part of the leader’s level, another arm may still be better: with this certainty "
        f"by no more. {_FAIR}",
        "P(gain ≤ x) = ∫ φ_b(t) · Π_{j≠b} Φ((t + x·m_b − m_j)/e_j) dt, b the leader;  the x at which it is "
        "the confidence, at least 0",
        "Scott (2010), section 4; by quadrature",
        (*_believed(beliefs), Step("confidence", full(rule.confidence))),
        (
            Step("leader", LETTERS[leader]),
            Step("value remaining", full(value_remaining(beliefs, sign=rule.sign, confidence=rule.confidence))),
        ),
    )


def gain_working(rule: DecisionRule, epochs: Sequence[EpochArms]) -> Working:
    """What following the evidence was worth. Raises InputError where the arms cannot be compared."""
    c = two_sided_critical_value(rule.confidence)
    gain = gain_over_even(epochs, c, sign=rule.sign)
    if gain is None:
        raise InputError("epochs", len(epochs), "must have units of every variant to compare")
    groups: dict[str, list[EpochArms]] = {}
    for epoch in epochs:
        groups.setdefault(epoch.segment, []).append(epoch)
    inputs: list[Step] = []
    for segment, group in groups.items():
        mark = f"{segment}: " if segment else ""
        beliefs = fair_beliefs(group, sign=rule.sign)
        for at in range(len(group[0].arms)):
            units = sum(epoch.arms[at].units for epoch in group)
            inputs.append(Step(f"{mark}n_{LETTERS[at]}", full(units)))
            if beliefs is not None:
                inputs.append(Step(f"{mark}m_{LETTERS[at]}", full(beliefs[at].mean)))
                inputs.append(Step(f"{mark}e_{LETTERS[at]}", full(beliefs[at].error)))
    return Working(
        "Gain over an even split",
        "What the units beyond an even split brought, and how many of them saw the best arm, which is known "
        "by its chance only. "
        f"{_FAIR}",
        "gain = Σ(n − N/k)·m, error √Σ((n − N/k)·e)²;  spared = Σ p·(n − N/k), p the chance to be best, "
        "spread √Σp(n − N/k − spared)²"
        + ("; segment by segment, then added" if len(groups) > 1 else ""),
        "Scott (2010) for the chances; the sums are plain",
        tuple(inputs),
        (
            Step("critical value", full(c)), Step("spared", full(gain.spared.estimate)),
            Step("spared, from", full(gain.spared.low)),
            Step("spared, to", full(gain.spared.high)), Step("gain", full(gain.total.estimate)),
            Step("gain, from", full(gain.total.low)), Step("gain, to", full(gain.total.high)),
        ),
    )  # fmt: skip


def posterior_working(comparison: Comparison, rule: DecisionRule, letter: str) -> Working:
    """Probability of being better and expected loss. Raises InputError where the rule does not read by a posterior."""
    found = comparison.posterior
    if found is None:
        raise InputError("figure", "superiority", "is not read by this rule")
    return Working(
        f"Probability that {letter} is better",
        "How likely the variant’s true level lies on the better side of control’s, and what is lost on "
        "average by choosing it. "
        "Rates have Beta(x + 1, n − x + 1) posteriors, means and ratios normal ones.",
        "superiority = ∫ f₁(t)·F₀(t) dt;  expected loss = E max(θ₀ − θ₁, 0)/E θ₀"
        + ("" if rule.sign > 0 else "; turned, for less is better"),
        "Cook (2003), working paper 25, Department of Biostatistics, MD Anderson; Scott (2010)",
        (*_posterior(comparison.reference, "A"), *_posterior(comparison.variant, letter)),
        (
            Step("expected loss", full(found.expected_loss)),
            Step("expected loss of control", full(found.expected_loss_of_control)),
            Step("superiority", full(found.superiority)),
        ),
    )  # fmt: skip


def _beliefs(epochs: Sequence[EpochArms], rule: DecisionRule) -> tuple[Belief, ...]:
    found = fair_beliefs(epochs, sign=rule.sign)
    if found is None:
        raise InputError("epochs", len(epochs), "must have units of every variant to compare")
    return found


def _believed(beliefs: Sequence[Belief]) -> tuple[Step, ...]:
    return tuple(
        step
        for letter, belief in zip(LETTERS, beliefs, strict=False)
        for step in (Step(f"m_{letter}", full(belief.mean)), Step(f"e_{letter}", full(belief.error)))
    )


def _posterior(arm: Arm, letter: str) -> tuple[Step, ...]:
    if isinstance(arm, Rate):
        return Step(f"x_{letter}", full(arm.conversions)), Step(f"n_{letter}", full(arm.units))
    return Step(f"m_{letter}", full(arm.estimate)), Step(f"e_{letter}", full(arm.squared_error**0.5))
