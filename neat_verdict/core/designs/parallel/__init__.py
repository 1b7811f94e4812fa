"""Units are shared out by a fixed split, all variants side by side."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from neat_verdict.core.designs.base import CountTable, Design, Series, shared_threshold
from neat_verdict.core.designs.parallel.stretches import overlap_by_stretch, split_by_stretch
from neat_verdict.core.designs.posteriors import (
    STRATIFIED_WORDS,
    posterior_steps,
    posteriors_or_refuse,
    stratified_posteriors,
)
from neat_verdict.core.methods import Reached, Threshold, bonferroni
from neat_verdict.core.periods import Period, compare_pairs, information_of, post_strata, rounds_together
from neat_verdict.core.soundness import OverlapCheck, SplitCheck, check_overlap, check_split
from neat_verdict.core.statistics import Arm, Comparison, chances_to_be_best, normal_best_chances
from neat_verdict.core.statistics.arms.averaged import FIELLER
from neat_verdict.core.stretches import pairs_of, shares_changed, stopped_in
from neat_verdict.core.text.statements import Step, steps
from neat_verdict.core.variants import LETTERS

if TYPE_CHECKING:
    from neat_verdict.core.rule import DecisionRule


class Parallel(Design):
    name, title = "parallel", "A fixed split"
    reads_rounds = True
    explanation = "Every variant keeps its share of the traffic from the first day to the last."
    overlap_label, overlap_required = "Variants observed at the same time", "same shares every day"

    def strata(self, periods: Sequence[Period]) -> tuple[Period, ...]:
        """By rounds, and within each by the stretches of a split that was changed and by the segments of a property."""
        together = post_strata if any(one.segment for one in periods) else rounds_together
        places = sorted({(one.round, one.number) for one in periods})
        return tuple(
            stratum
            for place in places
            for stratum in together([one for one in periods if (one.round, one.number) == place])
        )

    def stratified_words(self, *, segments: bool) -> tuple[str, str, str]:
        if not segments:
            return (
                "Rounds, and stretches of a split that was changed, are read together: the arms are compared within each, so "
                "that a level that differs from one to the next takes no part in it, and they are combined by weights that "
                "follow from their units alone.",
                "m = Σw·m_r / Σw,  v = Σw²·v_r / (Σw)²,  w = √(N·n₁n₀/(n₁ + n₀)) of each round or stretch of N units: with the "
                "same shares in all, Mantel’s and Haenszel’s n₁n₀/(n₁ + n₀) but for a factor",
                f"Mantel & Haenszel (1959), J. Natl. Cancer Inst. 22, 719–748; {FIELLER}",
            )
        return (
            "Post-stratified: the arms are compared within each segment, and the segments are combined by their parts π of all "
            "units, so that it does not matter how chance mixed them in the arms.",
            "m = Σπ·m_e,  v = Σπ²·v_e over the segments",
            f"Miratrix, Sekhon & Yu (2013), J. R. Stat. Soc. B 75, 369–396; {FIELLER}",
        )

    def information(self, units: Sequence[float], planned_units: Sequence[float]) -> float:
        """That of the arm furthest behind."""
        return min(seen / planned for seen, planned in zip(units, planned_units, strict=True))

    def information_over(self, periods: Sequence[Period], planned_units: Sequence[float], once: bool) -> float:
        """That of the comparison furthest behind; a variant that was stopped is waited for no more.

        Read ``once`` it is what the comparison's variance says of n₁n₀/(n₁ + n₀) of what was planned, so that a split that
        says less takes longer. Read more than once it is all units, by which the variance of the sum over stretches grows
        whatever the shares were (`Pair.weight`), so that looks hang together as the boundary has it; of two arms that kept their
        ratio both are the same.
        """
        stopped, control = stopped_in(periods), planned_units[0]
        parts = []
        for at, variant in enumerate(planned_units):
            if not at or at in stopped:
                continue
            pairs = [pair for pair in pairs_of(periods, at) if pair.usable]
            if once or len(pairs) == 1:
                parts.append(information_of(pairs) * (variant + control) / (variant * control))
            else:
                parts.append(math.fsum(pair.size for pair in pairs) / math.fsum(planned_units))
        return min(parts)

    def thresholds(self, rule: DecisionRule, periods: Sequence[Period], reached: Reached) -> tuple[Threshold, ...]:
        comparisons = len(periods[0].arms) - 1
        if shares_changed(periods) and comparisons > 1:
            # How the comparisons hang together depends on when the split was changed, which nobody knew before.
            one = rule.method.threshold(bonferroni(rule.confidence, comparisons), [1, 1], reached)
            return (shared_threshold(one, comparisons),) * comparisons
        units = [sum(period.arms[at].units for period in periods) for at in range(len(periods[0].arms))]
        return (rule.method.threshold(rule.confidence, units, reached),) * (len(units) - 1)

    def pair_critical_value(
        self, rule: DecisionRule, _periods: Sequence[Period], _first: int, _second: int, pairs: int, reached: Reached
    ) -> float | None:
        return rule.method.pair_critical_value(bonferroni(rule.confidence, pairs), reached)

    def check_split(self, periods: Sequence[Period], weights: Sequence[float]) -> SplitCheck:
        if shares_changed(periods):
            return split_by_stretch(periods)
        return check_split([sum(period.arms[at].units for period in periods) for at in range(len(weights))], weights)

    def check_overlap(self, periods: Sequence[Period], units_by_day: CountTable | None) -> OverlapCheck | None:
        if shares_changed(periods):
            return overlap_by_stretch(periods)
        return None if units_by_day is None else check_overlap(units_by_day)

    def levels_and_chances(
        self, periods: Sequence[Period], arms: Sequence[Arm], rule: DecisionRule
    ) -> tuple[tuple[float, ...], tuple[float, ...]] | None:
        if not shares_changed(periods):
            return tuple(arm.estimate for arm in arms), chances_to_be_best(arms, rule.sign)
        posteriors = stratified_posteriors(periods, sign=rule.sign)
        if posteriors is None:
            return None
        means, errors = [one.mean for one in posteriors], [one.error for one in posteriors]
        return tuple(means), normal_best_chances(means, errors, sign=rule.sign)

    def chance_derivation(
        self, periods: Sequence[Period], arms: Sequence[Arm], rule: DecisionRule
    ) -> tuple[str, tuple[Step, ...]]:
        if shares_changed(periods):
            return STRATIFIED_WORDS, posterior_steps(posteriors_or_refuse(periods, rule))
        inputs = [
            step
            for letter, arm in zip(LETTERS, arms, strict=False)
            for step in steps(arm.posterior_inputs(), f"_{letter}")
        ]
        return "Rates have Beta(x + 1, n − x + 1) posteriors, means and ratios normal ones.", tuple(inputs)

    def lift_over_time(
        self,
        _rule: DecisionRule,
        periods: Sequence[Period],
        arms_by_day: Sequence[Sequence[Arm]],
        critical_values: Sequence[float],
        _reached: Reached,
    ) -> tuple[Series, ...]:
        if _in_rounds(periods) or shares_changed(periods) or any(period.segment for period in periods):
            return self._stratified_lift(periods, critical_values)
        return lift_as_data_came_in(arms_by_day, critical_values[0])

    def _stratified_lift(self, periods: Sequence[Period], critical_values: Sequence[float]) -> tuple[Series, ...]:
        """The same of periods of a day and a segment, or of a day of one of several rounds or stretches."""
        lines = []
        for day in sorted({period.day for period in periods}):
            strata = self.strata([period for period in periods if period.day <= day])
            made = [compare_pairs(pairs_of(strata, at), c) for at, c in enumerate(critical_values, start=1)]
            lines.append([_bounds(one) for one in made])
        return tuple(Series(*np.array(line).T) for line in zip(*lines, strict=True))

    def shifted_shares(self, _units: str) -> tuple[str, str, str]:
        return (
            "No lift may be read: the variants' shares shifted from day to day.",
            "Unsound: the shares shifted from day to day",
            "A fixed split has the same shares every day, give or take chance. Shifted shares compare days as much as variants. "
            "Find what changed the split, then start again.",
        )


def _in_rounds(periods: Sequence[Period]) -> bool:
    return len({period.round for period in periods}) > 1


def _bounds(comparison: Comparison | None) -> tuple[float, float, float]:
    """Estimate and bounds of the lift; nan where there is none, as `lift_as_data_came_in` has it."""
    if comparison is None or not comparison.reference.total:
        return math.nan, math.nan, math.nan
    lift = comparison.lift
    return lift.estimate, lift.low, lift.high


def lift_as_data_came_in(arms_by_day: Sequence[Sequence[Arm]], critical_value: float) -> tuple[Series, ...]:
    """Lift of each variant with all data up to each day, with its interval.

    ``arms_by_day`` has the day's own arms (control first), all of one kind.
    """
    if not arms_by_day:
        return ()
    kind = type(arms_by_day[0][0])
    sums = np.cumsum([[arm.sums for arm in day] for day in arms_by_day], axis=0, dtype=np.float64)
    level, low, high = kind.lifts(sums, critical_value)
    return tuple(Series(level[:, arm], low[:, arm], high[:, arm]) for arm in range(level.shape[1]))
