"""One reading of an experiment: counts in, evidence, conditions and verdict out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from neat_verdict.core.checks import InputError, check_positive
from neat_verdict.core.designs import Series, Summary
from neat_verdict.core.designs.base import CountTable
from neat_verdict.core.methods import Reached
from neat_verdict.core.periods import Pair, Period, added_up, compare_pairs
from neat_verdict.core.rule import DecisionRule
from neat_verdict.core.soundness import OverlapCheck, SplitCheck
from neat_verdict.core.statistics import Arm, Comparison, Interval, comparable, nothing_known
from neat_verdict.core.stretches import pairs_of, partly_in, shares_changed, stopped_in
from neat_verdict.core.text.statements import Condition
from neat_verdict.core.variants import LETTERS, MAX_VARIANTS
from neat_verdict.core.verdicts.conditions import (
    effect_conditions,
    minimum_conditions,
    progress,
    shape_conditions,
    soundness_conditions,
)
from neat_verdict.core.verdicts.judging import MetricReading, Verdict, judge
from neat_verdict.core.verdicts.scale import LIFT, Scale, scale_of


@dataclass(frozen=True, slots=True)
class Looks:
    """The planned looks taken so far: the share of the planned data at each, and whether the latest is the last."""

    information: tuple[float, ...]
    last: bool


@dataclass(frozen=True, slots=True)
class Reading:
    """What can be said now. ``own_intervals`` are each arm's level on its own, at the rule's confidence (Wilson's for rates).

    ``periods`` are what the comparisons were made of; ``summary`` is what the design says in addition;
    ``scale`` is what the verdict stands on; ``ended`` says that no more data will come.
    """

    arms: tuple[Arm, ...]
    own_intervals: tuple[tuple[float, float], ...]
    comparisons: tuple[Comparison, ...]
    split: SplitCheck
    overlap: OverlapCheck | None
    conditions: tuple[Condition, ...]
    verdict: Verdict
    progress: float | None
    days: int
    reached: Reached
    periods: tuple[Period, ...]
    summary: Summary | None = None
    scale: Scale = LIFT
    ended: bool = False

    @property
    def stopped(self) -> tuple[int, ...]:
        """Positions of the variants that were stopped: they are read by what came before, and no verdict names them."""
        return stopped_in(self.periods)

    @property
    def left(self) -> tuple[int, ...]:
        """Positions of the variants other than control that were not stopped."""
        return tuple(at for at in range(1, len(self.arms)) if at not in self.stopped)

    def pairs(self, position: int, reference: int = 0) -> list[Pair]:
        """What a comparison was made of: two arms over the periods in which they can be held against one another."""
        return pairs_of(self.periods, position, reference)

    @property
    def spoken_of(self) -> int:
        """Position of the variant that the verdict speaks of, of the first that is left where it names none."""
        return self.verdict.variant or self.left[0]

    @property
    def best(self) -> Comparison | None:
        """The comparison of that variant."""
        return self.comparisons[self.spoken_of - 1] if self.comparisons else None

    def effect(self, position: int) -> Interval:
        """The interval by which a variant, by position, is judged."""
        return self.scale.effect(self.comparisons[position - 1])

    @property
    def effects(self) -> tuple[Interval, ...]:
        """Those of all variants that were not stopped, in order."""
        return tuple(self.scale.effect(self.comparisons[at - 1]) for at in self.left) if self.comparisons else ()

    def series(
        self, rule: DecisionRule, arms_by_day: Sequence[Sequence[Arm]], periods: Sequence[Period] = ()
    ) -> tuple[Series, ...]:
        """Lift of each variant as data came in, at the reading's own critical values; empty with nothing to compare.

        ``periods`` are those that were read, by day, where there are several.
        """
        if not self.comparisons:
            return ()
        values = [comparison.critical_value for comparison in self.comparisons]
        return rule.design.lift_over_time(rule, periods or self.periods, arms_by_day, values, self.reached)


def read_experiment(
    arms: Sequence[Arm],
    weights: Sequence[float],
    rule: DecisionRule,
    *,
    units_by_day: CountTable | None = None,
    days: int = 0,
    ended: bool = False,
    others: Sequence[MetricReading] = (),
    looks: Looks | None = None,
    periods: Sequence[Period] | None = None,
) -> Reading:
    """Read an experiment by its rule.

    Parameters
    ----------
    arms : sequence of Arm (all of one kind)
        Totals, control first, 2 to 10; under planned looks those of the moment of the latest look.
    weights : sequence of float
        The planned split, in the same order.
    rule : DecisionRule
    units_by_day : table of int, days x arms, optional
        Shows whether the arms ran side by side. Without it (counts alone) that condition is left out.
    days : int
        Days from the first to the last with data, those of a warm-up left out.
    ended : bool
        True when no more data will come.
    others : readings of other metrics, for guardrails and trade-offs
    looks : Looks, optional
        The looks taken, under planned looks; none yet when left out.
    periods : sequence of Period, optional
        The arms' units by stretches of equal shares, or by days and segments where the reading is stratified by a property; they
        add up to ``arms``. One period of all of them where left out.

    Raises
    ------
    InputError
        When arms and weights differ in number, or are not 2 to 10.
    """
    if len(arms) != len(weights) or not 2 <= len(arms) <= MAX_VARIANTS:
        raise InputError(
            "variants", len(arms), f"must be 2 to {MAX_VARIANTS} with a weight each ({len(weights)} given)"
        )
    strata = (_one_period(arms, weights),) if periods is None else rule.design.strata(periods)
    stopped = stopped_in(strata)
    ran = days + rule.warm_up_days
    ended = ended or (rule.longest_days is not None and ran >= rule.longest_days)
    last = rule.method.reads_no_more(rule, ran, None if looks is None else looks.last)
    reached = replace(reached_by(arms, rule, looks, strata), last=last)
    late = partly_in(strata)
    enough = comparable([arm for at, arm in enumerate(arms) if at not in late]) and not (
        rule.method.has_looks and looks is None
    )
    comparisons = compare_with_control(strata, rule, reached) if enough else ()
    summary = rule.design.summarise(strata, comparisons, rule, reached)
    split, overlap, soundness = _soundness(strata if periods is None else periods, weights, rule, units_by_day)
    conditions = [
        *minimum_conditions(arms, days, rule, len(looks.information) if looks else 0, strata),
        *(shape_conditions(strata) if comparisons else ()),
        *rule.design.conditions(summary, rule),
        *soundness,
    ]

    def separable(first: int, second: int, c: float) -> bool:
        result = compare_pairs(pairs_of(strata, first, second), c)
        return result is not None and result.separate

    gains = rule.design.gains(comparisons, summary, rule)
    # One that joined has nothing to say yet while the conditions wait for it.
    left_out = {*stopped, *(at for at, one in enumerate(comparisons, 1) if not one.known)}
    scale = scale_of([one for at, one in enumerate(comparisons, 1) if at not in left_out], rule.planned_level)
    comparisons = tuple(map(scale.judged, comparisons))
    verdict = judge(
        comparisons,
        conditions,
        rule,
        last=last,
        ended=ended,
        others=others,
        separable=separable,
        gains=gains,
        scale=scale,
        left_out=left_out,
        may_win=rule.design.may_win(summary),
    )
    # The conditions are those of the variant that the verdict speaks of.
    open_ones = [at for at in range(1, len(gains) + 1) if at not in left_out]
    best = verdict.variant or (max(open_ones, key=lambda at: gains[at - 1]) if open_ones else None)
    readable = verdict.name != "unsound" and all(line.state == "met" for line in conditions)
    letter = LETTERS[best or next(at for at in range(1, len(arms)) if at not in stopped)]
    spoken = comparisons[best - 1] if best else None
    conditions += effect_conditions(spoken, letter, rule, others, readable=readable, scale=scale)
    return Reading(
        arms=tuple(arms),
        own_intervals=tuple(arm.interval(rule.confidence) for arm in arms),
        comparisons=comparisons,
        split=split,
        overlap=overlap,
        conditions=tuple(conditions),
        verdict=verdict,
        progress=progress(arms, rule, strata),
        days=days,
        reached=reached,
        periods=strata,
        summary=summary,
        scale=scale,
        ended=ended,
    )


def _one_period(arms: Sequence[Arm], weights: Sequence[float]) -> Period:
    """All units as one period, shared out by the planned weights."""
    for weight in weights:
        check_positive("weights", weight)
    whole = sum(weights)
    return Period(tuple(arms), tuple(w / whole for w in weights))


def is_sound(
    arms: Sequence[Arm],
    weights: Sequence[float],
    rule: DecisionRule,
    units_by_day: CountTable | None,
    periods: Sequence[Period] = (),
) -> bool:
    """Whether the data agree with the design, so that lifts may be read: the units, the planned split, the days."""
    strata = periods or (_one_period(arms, weights),)
    return all(line.state != "not_met" for line in _soundness(strata, weights, rule, units_by_day)[2])


def _soundness(
    strata: Sequence[Period], weights: Sequence[float], rule: DecisionRule, units_by_day: CountTable | None
) -> tuple[SplitCheck, OverlapCheck | None, list[Condition]]:
    split = rule.design.check_split(strata, weights)
    overlap = rule.design.check_overlap(strata, units_by_day)
    return split, overlap, list(soundness_conditions(split, overlap, rule))


def reached_by(
    arms: Sequence[Arm], rule: DecisionRule, looks: Looks | None = None, periods: Sequence[Period] = ()
) -> Reached:
    """How far the data of these arms are, at the looks taken."""
    fraction = rule.information([arm.units for arm in arms], periods)
    return Reached(fraction, looks.information if looks else (), looks.last if looks else True)


def is_early(
    arms: Sequence[Arm], days: int, rule: DecisionRule, looks: Looks | None = None, periods: Sequence[Period] = ()
) -> bool:
    """Whether the rule may not be read yet: something of its minimum is not met."""
    return not minimum_met(arms, days, rule, looks, periods) or not shape_known(arms, periods)


def minimum_met(
    arms: Sequence[Arm], days: int, rule: DecisionRule, looks: Looks | None = None, periods: Sequence[Period] = ()
) -> bool:
    """Whether all that only grows is in: days, data, conversions."""
    lines = minimum_conditions(arms, days, rule, len(looks.information) if looks else 0, periods)
    return all(line.state == "met" for line in lines)


def shape_known(arms: Sequence[Arm], periods: Sequence[Period] = ()) -> bool:
    """Whether the values are not too skewed to be judged."""
    strata = [Period(tuple(arms), (1.0,) * len(arms))] if not shares_changed(periods) else periods
    return all(line.state == "met" for line in shape_conditions(strata))


def compare_with_control(periods: Sequence[Period], rule: DecisionRule, reached: Reached) -> tuple[Comparison, ...]:
    """Each variant against control as the rule's design and method have it; empty where one cannot be compared, but for those
    that were stopped or join later, of which nothing is known then."""
    whole = rule.design.compare_all(periods, rule, reached)
    if whole is not None:
        return whole
    thresholds, late = rule.design.thresholds(rule, periods, reached), partly_in(periods)
    result = []
    for variant, threshold in enumerate(thresholds, start=1):
        one = rule.method.compare(pairs_of(periods, variant), rule, threshold)
        if one is None and variant in late:
            together = added_up(periods)
            one = nothing_known(together.arms[variant], together.arms[0], threshold.critical_value)
        result.append(one)
    made = [one for one in result if one is not None]
    left = any(one.known for at, one in enumerate(made, start=1) if at not in stopped_in(periods))
    return tuple(made) if left and all(result) else ()
