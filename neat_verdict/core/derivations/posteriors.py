"""How chances to be the best are made, and the posterior of one variant against control."""

from __future__ import annotations

from neat_verdict.core.checks import InputError
from neat_verdict.core.rule import DecisionRule
from neat_verdict.core.statistics import Comparison
from neat_verdict.core.text.format import format_full
from neat_verdict.core.text.statements import Derivation, Step, steps
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts.ranking import chance_ahead, ranked_parts
from neat_verdict.core.verdicts.reading import Reading

_BEST = "P(a is best) = ∫ f_a(t) · Π_{j≠a} F_j(t) dt"


def chance_derivation(reading: Reading, rule: DecisionRule, letter: str) -> Derivation:
    """The chance of an arm to be the best of all. Raises InputError where the arms cannot be compared."""
    place = LETTERS.index(letter)
    places, arms, periods = ranked_parts(reading)
    result = rule.design.levels_and_chances(periods, arms, rule)
    if result is None or place not in places:
        raise InputError("variant", letter, "cannot be compared yet: every variant needs units")
    chances = dict(zip(places, result[1], strict=True))
    words, inputs = rule.design.chance_derivation(periods, arms, rule)
    return Derivation(
        f"Chance of {letter} to be best",
        f"How likely its true level is the best of all, by what was counted and nothing else. {words}",
        f"{_BEST}, f and F density and distribution of the arms’ levels"
        + ("" if rule.sign > 0 else "; 1 − F, for less is better"),
        "Scott (2010), Appl. Stoch. Models Bus. Ind. 26, 639–658; by quadrature",
        inputs,
        (
            *(Step(LETTERS[at], format_full(p)) for at, p in chances.items() if at != place),
            Step(letter, format_full(chances[place])),
        ),
    )


def chance_ahead_derivation(reading: Reading, rule: DecisionRule, letter: str) -> Derivation:
    """The chance of a variant to be better than control. Raises InputError where they cannot be compared."""
    place = LETTERS.index(letter)
    chance = chance_ahead(reading, rule, place) if 0 < place < len(reading.arms) else None
    if chance is None:
        raise InputError("variant", letter, "cannot be compared with control yet")
    words = (
        "How likely its true level is better than control’s, by what was counted and nothing else. It allows neither for looks "
        "nor for several variants, and only a rule by posterior probability decides by it."
    )
    result = (Step(f"P({letter} better than A)", format_full(chance)),)
    if rule.design.by_contrasts or reading.arms[place].freedom_with(reading.arms[0]) is not None:
        contrasts = rule.design.by_contrasts
        what = (
            "Of several factors that of the contrast" if contrasts else "Of totals by day that of the paired difference"
        )
        return Derivation(
            f"Chance of {letter} to be better than A",
            f"{words} {what}, as its test has it.",
            "Φ(±z), − where less is better",
            "Flat prior; Gelman et al. (2013), Bayesian Data Analysis, section 2.5",
            (Step("z", format_full(reading.comparisons[place - 1].statistic)),),
            result,
        )
    if len(pairs := reading.pairs(place)) == 1:
        inputs = [
            step
            for one, arm in (("A", pairs[0].reference), (letter, pairs[0].variant))
            for step in steps(arm.posterior_inputs(), f"_{one}")
        ]
        return Derivation(
            f"Chance of {letter} to be better than A",
            f"{words} Rates have Beta(x + 1, n − x + 1) posteriors, means and ratios normal ones.",
            _BEST,
            "Scott (2010), Appl. Stoch. Models Bus. Ind. 26, 639–658; by quadrature",
            tuple(inputs),
            result,
        )
    compared = reading.comparisons[place - 1]
    return Derivation(
        f"Chance of {letter} to be better than A",
        f"{words} Of several periods the normal posterior of the combined difference.",
        "Φ(±d / e), − where less is better",
        "Flat prior; Gelman et al. (2013), Bayesian Data Analysis, section 2.5",
        (
            Step("d", format_full(compared.difference.estimate)),
            Step("e", format_full(compared.error)),
        ),
        result,
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
