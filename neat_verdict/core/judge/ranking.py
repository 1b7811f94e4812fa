"""The variants in order, and which of them the data tell apart."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from neat_verdict.core.allocate import fair_beliefs
from neat_verdict.core.estimate import (
    Arm,
    EpochArms,
    Interval,
    chances_to_be_best,
    comparable,
    compare_arms_at,
    critical_value,
    normal_best_chances,
)
from neat_verdict.core.judge.adaptive import comparison_by_epoch
from neat_verdict.core.judge.rule import DecisionRule


@dataclass(frozen=True, slots=True)
class Ranked:
    """An arm in its place.

    ``chance`` is the probability that it is the best of all (flat priors); ``behind`` the relative distance to the leader (its
    lift against the leader, leader itself 0), ``separable`` whether that interval leaves out zero. Intervals hold for all
    pairs together (Bonferroni), at the rule's confidence.
    """

    position: int
    chance: float
    behind: Interval
    separable: bool


def rank_arms(arms: Sequence[Arm], rule: DecisionRule, epochs: Sequence[EpochArms] = ()) -> tuple[Ranked, ...]:
    """Arms of one kind, control first, in the order of their levels, the best first; empty with too little to compare.

    Where traffic followed the evidence they are held against one another within the ``epochs``.
    """
    if not comparable(arms) or not all(math.isfinite(arm.estimate) for arm in arms):
        return ()
    beliefs = fair_beliefs(epochs, sign=rule.sign) if rule.adaptive else None
    if rule.adaptive and beliefs is None:
        return ()
    levels = [belief.mean for belief in beliefs] if beliefs else [arm.estimate for arm in arms]
    order = sorted(range(len(arms)), key=lambda position: -rule.sign * levels[position])
    pairs = len(arms) * (len(arms) - 1) // 2
    c = critical_value(1 - (1 - rule.confidence) / pairs)
    chances = (
        normal_best_chances(levels, [belief.error for belief in beliefs], sign=rule.sign)
        if beliefs
        else chances_to_be_best(arms, rule.sign)
    )
    ranked = []
    for position in order:
        if position == order[0]:
            ranked.append(Ranked(position, chances[position], Interval(0.0, 0.0, 0.0), separable=False))
            continue
        found = (
            comparison_by_epoch(epochs, arms, position, order[0], c)
            if beliefs
            else compare_arms_at(arms[position], arms[order[0]], c)
        )
        if found is None:
            return ()
        apart = found.difference.low > 0 or found.difference.high < 0
        ranked.append(Ranked(position, chances[position], found.lift, apart))
    return tuple(ranked)
