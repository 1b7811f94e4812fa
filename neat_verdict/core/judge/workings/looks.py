"""How the boundary of a look is made, and the chance that the last one will be crossed."""

from __future__ import annotations

import math
from collections.abc import Sequence

from neat_verdict.core.checks import InputError
from neat_verdict.core.estimate import Comparison, boundary, dunnett_critical_value
from neat_verdict.core.judge.outlook import chances_ahead, last_critical_value
from neat_verdict.core.judge.rule import DecisionRule
from neat_verdict.core.judge.workings.parts import Step, Working, full
from neat_verdict.core.traffic import LETTERS

_SPENT = {
    "obrien_fleming": "4 − 4Φ(z(α/4)/√t), the O’Brien–Fleming type",
    "pocock": "α·ln(1 + (e − 1)·t), the Pocock type",
}


def boundary_working(rule: DecisionRule, information: Sequence[float], comparisons: int, *, last: bool) -> Working:
    """The critical value of the latest of the looks at ``information`` (shares of the planned data)."""
    one = rule.method.confidence_of_one(rule.confidence, comparisons)
    found = boundary(information, one, rule.method.spending, final=last)
    lines = list(zip(found.information, found.spent, found.critical_values, strict=True))
    return Working(
        f"Boundary at look {len(lines)}",
        "Each look may spend a part of the level, by how much of the planned data is in. Its critical value "
        "is the one that spends "
        "just that part, among runs that have not crossed before; there is no closed form, the looks are "
        "followed one by one.",
        f"spent by t: {_SPENT[rule.method.spending]};  P(|Z₁| < c₁, …, |Zₖ₋₁| < cₖ₋₁, |Zₖ| ≥ cₖ) = what look k spends, "
        "Corr(Zᵢ, Zⱼ) = √(tᵢ/tⱼ)",
        "Lan & DeMets (1983), Biometrika 70, 659–663; Armitage, McPherson & Rowe (1969), J. R. Stat. Soc. A "
        "132, 235–244",
        (
            Step("confidence", full(rule.confidence)), Step("comparisons that share the level", str(comparisons)),
            Step("α of one", full(1 - one)), *(Step(f"t{k}", full(t)) for k, (t, _, _) in enumerate(lines, start=1)),
        ),
        tuple(
            step
            for k, (_, spent, c) in enumerate(lines, start=1)
            for step in (Step(f"spent by look {k}", full(spent)), Step(f"c{k}", full(c)))
        ),
    )  # fmt: skip


def once_working(rule: DecisionRule, units: Sequence[int]) -> Working:
    """The critical value of a rule that reads once; ``units`` of the arms, control first."""
    control, *variants = units
    several = len(variants) > 1
    c = dunnett_critical_value(rule.confidence, control, variants, rule.method.sides)
    one_sided = rule.method.sides == "one"
    return Working(
        "Critical value",
        "What the statistic must reach, so that without any difference it is reached no more often than the level allows"
        + (", by any of the comparisons with control." if several else "."),
        "1 − ∫ Π(Φ((c − l·u)/√(1 − l²)) − Φ((−c − l·u)/√(1 − l²))) φ(u) du = α, l² = n/(n + n₀)"
        if several
        else f"Φ(c) = 1 − α{'' if one_sided else '/2'}",
        "Dunnett (1955), J. Am. Stat. Assoc. 50, 1096–1121" if several else "the normal distribution",
        (
            Step("α", full(1 - rule.confidence)),
            Step("sides", rule.method.sides),
            *(Step(f"n of {LETTERS[place]}", full(n)) for place, n in enumerate(units)),
        ),
        (Step("c", full(c)),),
    )


def power_working(
    comparison: Comparison,
    rule: DecisionRule,
    information: Sequence[float],
    coming: Sequence[float],
    letter: str,
    comparisons: int = 1,
) -> Working:
    """The chance that the last look crosses, as it goes and if the lift is the worthwhile one.

    Raises InputError where it cannot be told: no look taken or none to come, or a control that is not above zero.
    """
    ahead = chances_ahead(comparison, rule, information, coming, comparisons)
    if ahead is None:
        raise InputError(
            "look", len(information), "has no chance ahead: no look is to come, or nothing can be compared"
        )
    last, drift = last_critical_value(rule, information, coming, comparisons), ahead.drift_if_worthwhile
    t = information[-1] / coming[-1]
    z = comparison.statistic * rule.sign
    return Working(
        f"Conditional power of {letter}",
        "The chance that the statistic of the last look lies beyond its boundary, given what it is now: if "
        "it goes on as so far, "
        "and if the true lift is the one worth acting on. Looks in between are left out, so it is a lower bound.",
        "Φ((z√t + θ(1 − t) − c)/√(1 − t)), θ = z/√t as so far, θ = worthwhile lift·m₀/(error·√t) if worthwhile",
        "Jennison & Turnbull (2000), Group Sequential Methods, section 10.2",
        (
            Step("z", full(z)), Step("t, of what will be in at the last look", full(t)), Step("c of the last look", full(last)),
            Step("worthwhile lift", full(rule.worthwhile_lift)), Step("m₀", full(comparison.reference.estimate)),
        ),
        (
            Step("θ as so far", full(z / math.sqrt(t))), Step("θ if worthwhile", full(drift)),
            Step("chance as it goes", full(ahead.as_seen)), Step("chance if worthwhile", full(ahead.if_worthwhile)),
        ),
    )  # fmt: skip
