"""One reading of an experiment: counts in, evidence, conditions and verdict out."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import astuple, dataclass

import numpy as np
from numpy.typing import NDArray

from neat_verdict.core.checks import InputError
from neat_verdict.core.estimate import (
    Arm,
    Comparison,
    EpochArms,
    Mean,
    Rate,
    comparable,
    compare_arms_at,
    fieller_interval,
    two_sided_critical_value,
    wilson_interval,
)
from neat_verdict.core.estimate.means import student_critical_value
from neat_verdict.core.estimate.score import ratio_interval
from neat_verdict.core.judge.adaptive import (
    Followed,
    compare_epochs,
    comparison_by_epoch,
    follow,
    value_condition,
)
from neat_verdict.core.judge.conditions import (
    Condition,
    effect_conditions,
    minimum_conditions,
    progress,
    soundness_conditions,
)
from neat_verdict.core.judge.rule import DecisionRule, SideReading
from neat_verdict.core.judge.standard import compare_arms, standard_of
from neat_verdict.core.judge.verdict import Verdict, best_variant, gains_over_control, judge
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.soundness import (
    OverlapCheck,
    SplitCheck,
    check_epochs,
    check_overlap,
    check_split,
    check_split_by_epoch,
)
from neat_verdict.core.traffic import LETTERS

CountTable = NDArray[np.int64]


@dataclass(frozen=True, slots=True)
class Reading:
    """What can be said now. ``own_intervals`` are each arm's level on its own, at the rule's confidence (Wilson's for rates).

    ``followed`` is there where traffic followed the evidence; the comparisons are by epoch then.
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
    followed: Followed | None = None


@dataclass(frozen=True, slots=True)
class Series:
    """Lift of one variant with the data up to each day; nan where an arm had no unit or control no conversion yet."""

    estimate: FloatArray
    low: FloatArray
    high: FloatArray


@dataclass(frozen=True, slots=True)
class Looks:
    """The planned looks taken so far: the share of the planned data at each, and whether the latest is the last."""

    information: tuple[float, ...]
    last: bool


def read_experiment(
    arms: Sequence[Arm],
    weights: Sequence[float],
    rule: DecisionRule,
    *,
    units_by_day: CountTable | None = None,
    days: int = 0,
    ended: bool = False,
    others: Sequence[SideReading] = (),
    looks: Looks | None = None,
    epochs: Sequence[EpochArms] = (),
) -> Reading:
    """Read an experiment by its rule.

    Parameters
    ----------
    arms : sequence of Rate, Mean or Ratio (all of one kind)
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
    epochs : sequence of EpochArms
        Where the rule is adaptive: the arms' units by epoch, with the shares of each. They add up to ``arms``.

    Raises
    ------
    InputError
        When arms and weights differ in number, or are not 2 to 10.
    """
    if len(arms) != len(weights) or not 2 <= len(arms) <= 10:
        raise InputError("variants", len(arms), f"must be 2 to 10 with a weight each ({len(weights)} given)")
    ran = days + rule.warm_up_days
    ended = ended or (rule.longest_days is not None and ran >= rule.longest_days)
    last = _reads_no_more(rule, ran, looks)
    units = [arm.units for arm in arms]
    enough = comparable(arms) and (rule.method.kind != "looks" or looks is not None)
    followed = None
    if rule.adaptive:
        comparisons = compare_epochs(arms, epochs, rule) if enough else ()
        followed = follow(arms, epochs, comparisons, rule)
        by_epoch = [[arm.units for arm in epoch.arms] for epoch in epochs]
        shares = [epoch.shares for epoch in epochs]
        split = check_split_by_epoch(by_epoch, shares) if epochs else check_split(units, weights)
        overlap = check_epochs(by_epoch, shares) if epochs else None
    else:
        standard = standard_of(rule, units, looks.information if looks else (), last=last) if enough else None
        comparisons = compare_arms(arms, rule, standard) if standard else ()
        split = check_split(units, weights)
        overlap = None if units_by_day is None else check_overlap(units_by_day)
    taken = len(looks.information) if looks else 0
    conditions = minimum_conditions(arms, days, rule, taken)
    if rule.adaptive:
        conditions.append(value_condition(followed, rule))
    conditions += soundness_conditions(split, overlap, adaptive=rule.adaptive)

    def apart(first: int, second: int, c: float) -> bool:
        found = (
            comparison_by_epoch(epochs, arms, first, second, c)
            if rule.adaptive
            else compare_arms_at(arms[first], arms[second], c)
        )
        return found is not None and (found.difference.low > 0 or found.difference.high < 0)

    gains = followed.gains if followed else gains_over_control(comparisons, rule)
    verdict = judge(comparisons, conditions, rule, last=last, ended=ended, others=others, apart=apart, gains=gains)
    best = best_variant(gains)
    readable = verdict.kind != "unsound" and all(line.state == "met" for line in conditions)
    letter = LETTERS[best or 1]
    conditions += effect_conditions(comparisons[best - 1] if best else None, letter, rule, others, readable=readable)
    return Reading(
        arms=tuple(arms),
        own_intervals=tuple(own_interval(arm, rule.confidence) for arm in arms),
        comparisons=comparisons,
        split=split,
        overlap=overlap,
        conditions=tuple(conditions),
        verdict=verdict,
        progress=progress(arms, rule),
        days=days,
        followed=followed,
    )


def own_interval(arm: Arm, confidence: float) -> tuple[float, float]:
    """An arm's level on its own: Wilson's interval for a rate, Student's for a mean or ratio; nan where there is none."""
    z = two_sided_critical_value(confidence)
    if isinstance(arm, Rate):
        low, high = wilson_interval(arm.conversions, arm.units, z)
        return float(low), float(high)
    if not comparable([arm]):
        return math.nan, math.nan
    reach = student_critical_value(z, arm.units - 1) * math.sqrt(arm.squared_error)
    return arm.estimate - reach, arm.estimate + reach


def _reads_no_more(rule: DecisionRule, days: int, looks: Looks | None) -> bool:
    """A single reading is its own last; planned looks say so; the others read up to the planned end."""
    if rule.method.kind == "fixed":
        return True
    if rule.method.kind == "looks":
        return looks is not None and looks.last
    return rule.planned_days == 0 or days >= (rule.longest_days or rule.planned_days)


def lift_as_data_came_in(arms_by_day: Sequence[Sequence[Arm]], critical_value: float) -> tuple[Series, ...]:
    """Lift of each variant with all data up to each day, with its interval.

    ``arms_by_day`` has the day's own arms (control first), all of one kind.
    """
    if not arms_by_day:
        return ()
    kind = type(arms_by_day[0][0])
    sums = np.cumsum([[astuple(arm) for arm in day] for day in arms_by_day], axis=0, dtype=np.float64)
    level, low, high = (_rates if kind is Rate else _means if kind is Mean else _ratios)(sums, critical_value)
    return tuple(Series(level[:, arm], low[:, arm], high[:, arm]) for arm in range(level.shape[1]))


_Lifts = tuple[FloatArray, FloatArray, FloatArray]


def _rates(sums: FloatArray, critical_value: float) -> _Lifts:
    conversions, units = sums[..., 0], sums[..., 1]
    days, arms = units.shape
    found = np.full((3, days, arms - 1), np.nan)
    for arm in range(1, arms):
        usable = (units[:, 0] > 0) & (units[:, arm] > 0) & (conversions[:, 0] > 0)
        if usable.any():
            x1, n1, x0, n0 = (
                part[usable] for part in (conversions[:, arm], units[:, arm], conversions[:, 0], units[:, 0])
            )
            found[0, usable, arm - 1] = (x1 / n1) / (x0 / n0) - 1
            found[1:, usable, arm - 1] = np.array(ratio_interval(x1, n1, x0, n0, critical_value)) - 1
    return found[0], found[1], found[2]


def _means(sums: FloatArray, critical_value: float) -> _Lifts:
    units, total, squares = (sums[..., column] for column in range(3))
    with np.errstate(divide="ignore", invalid="ignore"):
        level = total / units
        error = np.maximum(squares - total * level, 0) / (units - 1) / units
    return _by_fieller(level, error, units, critical_value)


def _ratios(sums: FloatArray, critical_value: float) -> _Lifts:
    units, above, below, above2, below2, cross = (sums[..., column] for column in range(6))
    with np.errstate(divide="ignore", invalid="ignore"):
        level = above / below
        spread = above2 - 2 * level * cross + level**2 * below2
        error = np.maximum(spread, 0) * units / (units - 1) / below**2
    return _by_fieller(level, error, units, critical_value)


def _by_fieller(level: FloatArray, error: FloatArray, units: FloatArray, critical_value: float) -> _Lifts:
    """By the normal critical value: the first days, where Student's would differ, are history, not looks."""
    usable = np.isfinite(error[:, :1]) & np.isfinite(error[:, 1:]) & (units[:, :1] > 1) & (level[:, :1] > 0)
    usable &= error[:, :1] + error[:, 1:] > 0
    with np.errstate(divide="ignore", invalid="ignore"):
        low, high = fieller_interval(level[:, 1:], error[:, 1:], level[:, :1], error[:, :1], critical_value)
        lift = level[:, 1:] / level[:, :1] - 1
    return tuple(np.where(usable, part, np.nan) for part in (lift, low - 1, high - 1))  # type: ignore[return-value]
