"""The variants in order, and which of them the data tell apart."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from neat_verdict.core.estimate import (
    Arm,
    Interval,
    Rate,
    best_chances,
    comparable,
    compare_arms_at,
    critical_value,
    normal_best_chances,
)
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


def rank_arms(arms: Sequence[Arm], rule: DecisionRule) -> tuple[Ranked, ...]:
    """Arms of one kind, control first, in the order of their levels, the best first; empty with too little to compare."""
    if not comparable(arms) or not all(math.isfinite(arm.estimate) for arm in arms):
        return ()
    order = sorted(range(len(arms)), key=lambda position: -rule.sign * arms[position].estimate)
    leader = arms[order[0]]
    pairs = len(arms) * (len(arms) - 1) // 2
    c = critical_value(1 - (1 - rule.confidence) / pairs)
    chances = chances_to_be_best(arms, rule.sign)
    ranked = []
    for position in order:
        if position == order[0]:
            ranked.append(Ranked(position, chances[position], Interval(0.0, 0.0, 0.0), separable=False))
            continue
        found = compare_arms_at(arms[position], leader, c)
        apart = found.difference.low > 0 or found.difference.high < 0
        ranked.append(Ranked(position, chances[position], found.lift, apart))
    return tuple(ranked)


def chances_to_be_best(arms: Sequence[Arm], sign: int) -> tuple[float, ...]:
    """Probability of each arm to be the best: of rates by Beta posteriors, of means and ratios by normal ones."""
    rates = [arm for arm in arms if isinstance(arm, Rate)]
    if len(rates) == len(arms):
        return best_chances(rates, sign=sign)
    means = [arm for arm in arms if not isinstance(arm, Rate)]
    errors = [math.sqrt(arm.squared_error) for arm in means]
    least = max(max(errors) * 1e-6, 1e-300)
    return normal_best_chances([arm.estimate for arm in means], [max(error, least) for error in errors], sign=sign)
