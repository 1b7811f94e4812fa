"""Does the lift fade? The same lift by groups of days of first exposure, and whether it has a trend."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from neat_verdict.core.estimate import (
    Arm,
    Comparison,
    Effect,
    EpochPair,
    comparable,
    compare_arms_at,
    log_ratio,
    log_ratio_by_epoch,
    trend,
    two_sided_critical_value,
)
from neat_verdict.core.judge.adaptive import comparison_of_pairs
from neat_verdict.core.judge.rule import DecisionRule
from neat_verdict.core.judge.wording import plain, pvalue


@dataclass(frozen=True, slots=True)
class CohortReading:
    """``comparisons`` by group, None with too little to compare; ``change`` of the lift from group to group with its p."""

    comparisons: tuple[Comparison | None, ...]
    change: float | None
    pvalue: float | None
    sentence: str


def cohort_effects(
    groups: Sequence[Sequence[Arm]], pairs: Sequence[Sequence[EpochPair]] | None = None
) -> list[tuple[int, Effect]]:
    """(Place, log ratio with its variance) of each group that has one; arguments as `read_cohorts`."""
    found = (
        [log_ratio(arms[1], arms[0]) for arms in groups]
        if pairs is None
        else [log_ratio_by_epoch(each) for each in pairs]
    )
    return [(place, effect) for place, effect in enumerate(found) if effect is not None]


def read_cohorts(
    groups: Sequence[Sequence[Arm]],
    rule: DecisionRule,
    group_name: str = "week",
    pairs: Sequence[Sequence[EpochPair]] | None = None,
) -> CohortReading:
    """Read one variant by groups of first exposure, in the order of time; each has control's arm and the variant's.

    Where traffic followed the evidence ``pairs`` has each group's arms (variant, control) by epoch, to be compared within those.
    """
    c = two_sided_critical_value(rule.confidence)
    compared = (
        tuple(compare_arms_at(arms[1], arms[0], c) if comparable(arms) else None for arms in groups)
        if pairs is None
        else tuple(comparison_of_pairs(each, arms[1], arms[0], c) for arms, each in zip(groups, pairs, strict=True))
    )
    effects = cohort_effects(groups, pairs)
    found = trend([place for place, _ in effects], [effect for _, effect in effects])
    if found is None:
        return CohortReading(compared, None, None, f"A trend needs three {group_name}s or more with something in each.")
    p = f"p {pvalue(found.pvalue)}"
    if found.pvalue < 1 - rule.confidence:
        fades = found.slope * sum(effect[0] for _, effect in effects) < 0
        way = "fades" if fades else "grows"
        told = (
            f"The lift {way} by about {plain(round(found.slope, 4))} with each later {group_name} of first exposure ({p}). Who "
            "came late may differ from who came early: ask what changed before the lift is counted on."
        )
    else:
        told = f"The lift neither fades nor grows beyond chance from {group_name} to {group_name} ({p})."
    return CohortReading(compared, found.slope, found.pvalue, told)
