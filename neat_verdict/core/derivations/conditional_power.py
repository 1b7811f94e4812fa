"""How the chance is made that the last look will cross its boundary."""

from __future__ import annotations

import math
from collections.abc import Sequence

from neat_verdict.core.checks import InputError
from neat_verdict.core.rule import DecisionRule
from neat_verdict.core.statistics import Comparison
from neat_verdict.core.text.format import format_full
from neat_verdict.core.text.statements import Derivation, Step
from neat_verdict.core.verdicts.sensitivity import chances_ahead


def power_derivation(
    comparison: Comparison,
    rule: DecisionRule,
    information: Sequence[float],
    coming: Sequence[float],
    letter: str,
    comparisons: int = 1,
) -> Derivation:
    """The chance that the last look crosses, as it goes and if the lift is the worthwhile one.

    Raises InputError where it cannot be computed: no look taken or none to come, or a control that is not above zero.
    """
    ahead = chances_ahead(comparison, rule, information, coming, comparisons)
    if ahead is None:
        raise InputError(
            "look", len(information), "has no chance ahead: no look is to come, or nothing can be compared"
        )
    last, drift = ahead.critical_value, ahead.drift_if_worthwhile
    t = information[-1] / coming[-1]
    z = comparison.statistic * rule.sign
    return Derivation(
        f"Conditional power of {letter}",
        "The chance that the statistic of the last look lies beyond its boundary, given what it is now: if "
        "it goes on as so far, "
        "and if the true lift is the one worth acting on. Looks in between are left out, so it is a lower bound.",
        "Φ((z√t + θ(1 − t) − c)/√(1 − t)), θ = z/√t as so far, θ = worthwhile lift·m₀/(error·√t) if worthwhile",
        "Jennison & Turnbull (2000), Group Sequential Methods, section 10.2",
        (
            Step("z", format_full(z)),
            Step("t, of what will be in at the last look", format_full(t)),
            Step("c of the last look", format_full(last)),
            Step("worthwhile lift", format_full(rule.worthwhile_lift)),
            Step("m₀", format_full(comparison.reference.estimate)),
        ),
        (
            Step("θ as so far", format_full(z / math.sqrt(t))),
            Step("θ if worthwhile", format_full(drift)),
            Step("chance as it goes", format_full(ahead.as_seen)),
            Step("chance if worthwhile", format_full(ahead.if_worthwhile)),
        ),
    )
