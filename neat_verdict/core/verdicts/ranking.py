"""The variants in order, and which of them differ significantly."""

from __future__ import annotations

import math
from dataclasses import dataclass

from scipy import special

from neat_verdict.core.periods import Period, compare_pairs
from neat_verdict.core.rule import DecisionRule
from neat_verdict.core.statistics import Arm, Comparison, Interval, chances_to_be_best, comparable
from neat_verdict.core.stretches import only, pairs_of
from neat_verdict.core.verdicts.reading import Reading


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
        return self.against_leader is not None and self.against_leader.separate


def ranked_parts(reading: Reading) -> tuple[list[int], list[Arm], list[Period]]:
    """The arms that were not stopped: their positions, their totals, and the periods with these alone."""
    places = [0, *reading.left]
    periods = only(reading.periods, places) if reading.stopped else list(reading.periods)
    return places, [reading.arms[at] for at in places], periods


def rank_arms(reading: Reading, rule: DecisionRule) -> tuple[Ranked, ...]:
    """The arms of a reading in the order of their levels, the best first; empty with too little to compare. Those that were
    stopped are left out: nobody can be given them any more."""
    places, arms, periods = ranked_parts(reading)
    if not reading.comparisons or not comparable(arms) or not all(math.isfinite(arm.estimate) for arm in arms):
        return ()
    result = rule.design.levels_and_chances(periods, arms, rule)
    if result is None:
        return ()
    levels, chances = result
    leader, *rest = sorted(range(len(arms)), key=lambda position: -rule.sign * levels[position])
    pairs = len(reading.arms) * (len(reading.arms) - 1) // 2
    ranked = [Ranked(places[leader], chances[leader], None)]
    for position in rest:
        c = rule.design.pair_critical_value(rule, periods, position, leader, pairs, reading.reached)
        if c is None:
            return ()
        compared = compare_pairs(pairs_of(periods, position, leader), c)
        if compared is None:
            return ()
        ranked.append(Ranked(places[position], chances[position], compared))
    return tuple(ranked)


CHANCE_MEANING = (
    "By these counts alone and with no preference beforehand, whatever the size of the lift. It allows neither for looks nor for "
    "several variants, and the rule does not decide by it."
)


def chance_ahead(reading: Reading, rule: DecisionRule, position: int) -> float | None:
    """The probability that a variant is better than control, by what was counted and flat priors; None with too little.

    No rule but the posterior one decides by it: it allows neither for looks nor for several variants. In one period by the arms'
    own posteriors (Scott 2010, Appl. Stoch. Models Bus. Ind. 26, 639-658), in several by the normal one of the combined
    difference; of totals by day by that of the paired difference, of several factors by that of the contrast.
    """
    if not reading.comparisons:
        return None
    compared = reading.comparisons[position - 1]
    if rule.design.by_contrasts or reading.arms[position].freedom_with(reading.arms[0]) is not None:
        return float(special.ndtr(rule.sign * compared.statistic))
    pairs = reading.pairs(position)
    if len(pairs) == 1:
        arms = [pairs[0].reference, pairs[0].variant]
        return chances_to_be_best(arms, rule.sign)[1] if all(math.isfinite(arm.estimate) for arm in arms) else None
    if not compared.error > 0:
        return None
    return float(special.ndtr(rule.sign * compared.difference.estimate / compared.error))
