"""The variants in order, and which of them the data tell apart."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from neat_verdict.core.allocate import fair_beliefs
from neat_verdict.core.estimate import (
    Arm,
    Comparison,
    EpochArms,
    Interval,
    chances_to_be_best,
    comparable,
    compare_arms_at,
    epoch_information,
    normal_best_chances,
)
from neat_verdict.core.judge.adaptive import comparison_by_epoch, planned_information
from neat_verdict.core.judge.reading import Looks
from neat_verdict.core.judge.rule import DecisionRule
from neat_verdict.core.judge.standard import pair_critical_value


@dataclass(frozen=True, slots=True)
class Ranked:
    """An arm in its place.

    ``chance`` is the probability that it is the best of all (flat priors); ``against_leader`` its comparison with the leader,
    None for the leader itself. Intervals hold for all pairs together (Bonferroni), at the rule's confidence and as often as it
    reads.
    """

    position: int
    chance: float
    against_leader: Comparison | None

    @property
    def behind(self) -> Interval:
        """Relative distance to the leader: its lift against the leader, 0 for the leader itself."""
        return self.against_leader.lift if self.against_leader else Interval(0.0, 0.0, 0.0)

    @property
    def separable(self) -> bool:
        """True where that distance leaves out zero."""
        gap = self.against_leader.difference if self.against_leader else None
        return gap is not None and (gap.low > 0 or gap.high < 0)


def rank_arms(
    arms: Sequence[Arm], rule: DecisionRule, epochs: Sequence[EpochArms] = (), looks: Looks | None = None
) -> tuple[Ranked, ...]:
    """Arms of one kind, control first, in the order of their levels, the best first; empty with too little to compare.

    Where traffic followed the evidence they are held against one another within the ``epochs``; under planned looks at the
    boundary of the ``looks`` taken.
    """
    if not comparable(arms) or not all(math.isfinite(arm.estimate) for arm in arms):
        return ()
    if rule.method.kind == "looks" and looks is None:
        return ()
    beliefs = fair_beliefs(epochs, sign=rule.sign) if rule.adaptive else None
    if rule.adaptive and beliefs is None:
        return ()
    levels = [belief.mean for belief in beliefs] if beliefs else [arm.estimate for arm in arms]
    leader, *rest = sorted(range(len(arms)), key=lambda position: -rule.sign * levels[position])
    chances = (
        normal_best_chances(levels, [belief.error for belief in beliefs], sign=rule.sign)
        if beliefs
        else chances_to_be_best(arms, rule.sign)
    )
    ranked = [Ranked(leader, chances[leader], None)]
    for position in rest:
        found = _compared(arms, position, leader, rule, epochs, looks)
        if found is None:
            return ()
        ranked.append(Ranked(position, chances[position], found))
    return tuple(ranked)


def _compared(
    arms: Sequence[Arm],
    position: int,
    leader: int,
    rule: DecisionRule,
    epochs: Sequence[EpochArms],
    looks: Looks | None,
) -> Comparison | None:
    pairs = len(arms) * (len(arms) - 1) // 2
    if rule.adaptive:
        known = epoch_information([epoch.pair(position, leader) for epoch in epochs])
        if not known:
            return None
        c = pair_critical_value(rule, pairs, known / planned_information(rule, position, leader))
        return comparison_by_epoch(epochs, arms, position, leader, c)
    c = pair_critical_value(
        rule,
        pairs,
        rule.information([arm.units for arm in arms]),
        looks.information if looks else (),
        last=looks is None or looks.last,
    )
    return compare_arms_at(arms[position], arms[leader], c)
