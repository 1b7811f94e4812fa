"""Does the lift fade? The same lift by groups of days of first exposure, and whether it has a trend."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from neat_verdict.core.periods import Pair, compare_pairs, log_ratio_of
from neat_verdict.core.rule import DecisionRule
from neat_verdict.core.statistics import Comparison, Effect, trend, two_sided_critical_value
from neat_verdict.core.text.format import format_percent, format_pvalue


@dataclass(frozen=True, slots=True)
class CohortReading:
    """``comparisons`` by group, None with too little to compare; ``change`` of the lift from group to group with its p."""

    comparisons: tuple[Comparison | None, ...]
    change: float | None
    pvalue: float | None
    sentence: str


def cohort_effects(groups: Sequence[Sequence[Pair]]) -> list[tuple[int, Effect]]:
    """(Place, log ratio with its variance) of each group that has one; ``groups`` as `read_cohorts` takes them."""
    result = [log_ratio_of(pairs) for pairs in groups]
    return [(place, effect) for place, effect in enumerate(result) if effect is not None]


def read_cohorts(groups: Sequence[Sequence[Pair]], rule: DecisionRule, group_name: str = "week") -> CohortReading:
    """Read one variant by groups of first exposure, in the order of time; each has the arms (variant, control) of its periods."""
    c = two_sided_critical_value(rule.confidence)
    compared = tuple(compare_pairs(pairs, c) for pairs in groups)
    effects = cohort_effects(groups)
    result = trend([place for place, _ in effects], [effect for _, effect in effects])
    if result is None:
        return CohortReading(compared, None, None, f"A trend needs three {group_name}s or more with something in each.")
    p = f"p {format_pvalue(result.pvalue)}"
    if result.pvalue < 1 - rule.confidence:
        fades = result.slope * sum(effect[0] for _, effect in effects) < 0
        way = "fades" if fades else "grows"
        sentence = (
            f"The lift {way} by about {format_percent(round(result.slope, 4))} with each later {group_name} of first "
            f"exposure ({p}). Who "
            "came late may differ from who came early: ask what changed before the lift is counted on."
        )
    else:
        sentence = f"The lift neither fades nor grows beyond chance from {group_name} to {group_name} ({p})."
    return CohortReading(compared, result.slope, result.pvalue, sentence)
