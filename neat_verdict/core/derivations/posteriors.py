"""How chances to be the best are made, and the posterior of one variant against control."""

from __future__ import annotations

from neat_verdict.core.checks import InputError
from neat_verdict.core.rule import DecisionRule
from neat_verdict.core.statistics import Comparison
from neat_verdict.core.text.format import format_full
from neat_verdict.core.text.statements import Derivation, Step, steps
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts.reading import Reading

_BEST = "P(a is best) = ∫ f_a(t) · Π_{j≠a} F_j(t) dt"


def chance_derivation(reading: Reading, rule: DecisionRule, letter: str) -> Derivation:
    """The chance of an arm to be the best of all. Raises InputError where the arms cannot be compared."""
    place = LETTERS.index(letter)
    result = rule.design.levels_and_chances(reading.periods, reading.arms, rule)
    if result is None:
        raise InputError("variant", letter, "cannot be compared yet: every variant needs units")
    chances = result[1]
    words, inputs = rule.design.chance_derivation(reading.periods, reading.arms, rule)
    return Derivation(
        f"Chance of {letter} to be best",
        f"How likely its true level is the best of all, by what was counted and nothing else. {words}",
        f"{_BEST}, f and F density and distribution of the arms’ levels"
        + ("" if rule.sign > 0 else "; 1 − F, for less is better"),
        "Scott (2010), Appl. Stoch. Models Bus. Ind. 26, 639–658; by quadrature",
        inputs,
        (
            *(Step(LETTERS[at], format_full(p)) for at, p in enumerate(chances) if at != place),
            Step(letter, format_full(chances[place])),
        ),
    )


def posterior_derivation(comparison: Comparison, rule: DecisionRule, letter: str) -> Derivation:
    """Probability of being better and expected loss. Raises InputError where the rule does not read by a posterior."""
    result = comparison.posterior
    if result is None:
        raise InputError("figure", "superiority", "is not read by this rule")
    return Derivation(
        f"Probability that {letter} is better",
        "How likely the variant’s true level lies on the better side of control’s, and what is lost on average by choosing it. "
        "Rates have Beta(x + 1, n − x + 1) posteriors, means and ratios normal ones.",
        "superiority = ∫ f₁(t)·F₀(t) dt;  expected loss = E max(θ₀ − θ₁, 0)/E θ₀"
        + ("" if rule.sign > 0 else "; turned, for less is better"),
        "Cook (2003), working paper 25, Department of Biostatistics, MD Anderson; Scott (2010)",
        (
            *steps(comparison.reference.posterior_inputs(), "_A"),
            *steps(comparison.variant.posterior_inputs(), f"_{letter}"),
        ),
        steps(
            (
                ("expected loss", result.expected_loss),
                ("expected loss of control", result.expected_loss_of_control),
                ("superiority", result.superiority),
            )
        ),
    )
