"""How an adjusted p of one of several metrics is made."""

from __future__ import annotations

from collections.abc import Mapping

from neat_verdict.core.checks import InputError
from neat_verdict.core.rule import DecisionRule
from neat_verdict.core.statistics import adjust_family
from neat_verdict.core.text.format import format_full
from neat_verdict.core.text.statements import Derivation, Step

_WAYS = {
    "holm": (
        "The p-values of all secondary metrics and variants in order, the smallest first; the smallest "
        "counts as often as there are "
        "of them, the next once less, and none less than one before it. So a family without any effect finds "
        "one in no more than "
        "the level of all cases.",
        "p₍ᵢ₎ adjusted = max over j ≤ i of min(1, (m − j + 1)·p₍ⱼ₎)",
        "Holm (1979), Scand. J. Stat. 6, 65–70",
    ),
    "benjamini_hochberg": (
        "The p-values of all secondary metrics and variants in order; so that of all differences declared no more "
        "than the level is false, "
        "on average.",
        "p₍ᵢ₎ adjusted = min over j ≥ i of min(1, m·p₍ⱼ₎/j)",
        "Benjamini & Hochberg (1995), J. R. Stat. Soc. B 57, 289–300",
    ),
}


def family_derivation(pvalues: Mapping[str, float], name: str, rule: DecisionRule) -> Derivation:
    """The adjusted p of one of a family; ``pvalues`` are all of them, by name. Raises InputError for a name that is not in it."""
    if name not in pvalues:
        raise InputError("metric", name, f"must be one of {', '.join(pvalues) or 'none'}")
    words, formula, source = _WAYS[rule.family]
    adjusted = adjust_family(list(pvalues.values()), rule.confidence, rule.family).adjusted[list(pvalues).index(name)]
    ordered = sorted(pvalues.items(), key=lambda line: line[1])
    return Derivation(
        f"Adjusted p of {name}",
        words,
        formula,
        source,
        tuple(Step(f"p of {one}", format_full(p)) for one, p in ordered),
        (
            Step("m", str(len(pvalues))),
            Step("place", str([one for one, _ in ordered].index(name) + 1)),
            Step("adjusted p", format_full(adjusted)),
        ),
    )
