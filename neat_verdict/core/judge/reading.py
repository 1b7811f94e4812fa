"""One reading of an experiment: counts in, evidence, conditions and verdict out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from neat_verdict.core.checks import InputError
from neat_verdict.core.estimate import Comparison, Rate, two_sided_critical_value, wilson_interval
from neat_verdict.core.estimate.score import ratio_interval
from neat_verdict.core.judge.conditions import (
    Condition,
    effect_conditions,
    minimum_conditions,
    progress,
    soundness_conditions,
)
from neat_verdict.core.judge.rule import DecisionRule, SideReading
from neat_verdict.core.judge.standard import compare_arms, standard_of
from neat_verdict.core.judge.verdict import Verdict, best_variant, judge
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.soundness import OverlapCheck, SplitCheck, check_overlap, check_split

CountTable = NDArray[np.int64]


@dataclass(frozen=True, slots=True)
class Reading:
    """What can be said now. ``rate_intervals`` are Wilson's, each arm on its own, at the rule's confidence."""

    arms: tuple[Rate, ...]
    rate_intervals: tuple[tuple[float, float], ...]
    comparisons: tuple[Comparison, ...]
    split: SplitCheck
    overlap: OverlapCheck | None
    conditions: tuple[Condition, ...]
    verdict: Verdict
    progress: float | None
    days: int


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
    arms: Sequence[Rate],
    weights: Sequence[float],
    rule: DecisionRule,
    *,
    units_by_day: CountTable | None = None,
    days: int = 0,
    ended: bool = False,
    others: Sequence[SideReading] = (),
    looks: Looks | None = None,
) -> Reading:
    """Read an experiment by its rule.

    Parameters
    ----------
    arms : sequence of Rate
        Totals, control first, 2 to 10; under planned looks those of the moment of the latest look.
    weights : sequence of float
        The planned split, in the same order.
    rule : DecisionRule
    units_by_day : table of int, days x arms, optional
        Shows whether the arms ran side by side. Without it (counts alone) that condition is left out.
    days : int
        Days from the first to the last with data.
    ended : bool
        True when no more data will come.
    others : readings of other metrics, for guardrails and trade-offs
    looks : Looks, optional
        The looks taken, under planned looks; none yet when left out.

    Raises
    ------
    InputError
        When arms and weights differ in number, or are not 2 to 10.
    """
    if len(arms) != len(weights) or not 2 <= len(arms) <= 10:
        raise InputError("variants", len(arms), f"must be 2 to 10 with a weight each ({len(weights)} given)")
    ended = ended or (rule.longest_days is not None and days >= rule.longest_days)
    last = _reads_no_more(rule, days, looks)
    units = [arm.units for arm in arms]
    comparable = all(units) and (rule.method.kind != "looks" or looks is not None)
    standard = standard_of(rule, units, looks.information if looks else (), last=last) if comparable else None
    comparisons = compare_arms(arms, rule, standard) if standard else ()
    split = check_split(units, weights)
    overlap = None if units_by_day is None else check_overlap(units_by_day)
    taken = len(looks.information) if looks else 0
    conditions = minimum_conditions(arms, days, rule, taken) + soundness_conditions(split, overlap)
    verdict = judge(comparisons, conditions, rule, last=last, ended=ended, others=others)
    best = best_variant(comparisons, rule)
    readable = verdict.kind != "unsound" and all(line.state == "met" for line in conditions)
    letter = "ABCDEFGHIJ"[best or 1]
    conditions += effect_conditions(comparisons[best - 1] if best else None, letter, rule, others, readable=readable)
    bounds = wilson_interval(
        [arm.conversions for arm in arms], [arm.units for arm in arms], two_sided_critical_value(rule.confidence)
    )
    return Reading(
        arms=tuple(arms),
        rate_intervals=tuple(zip(bounds[0].tolist(), bounds[1].tolist(), strict=True)),
        comparisons=comparisons,
        split=split,
        overlap=overlap,
        conditions=tuple(conditions),
        verdict=verdict,
        progress=progress(arms, rule),
        days=days,
    )


def _reads_no_more(rule: DecisionRule, days: int, looks: Looks | None) -> bool:
    """A single reading is its own last; planned looks say so; the others read up to the planned end."""
    if rule.method.kind == "fixed":
        return True
    if rule.method.kind == "looks":
        return looks is not None and looks.last
    return rule.planned_days == 0 or days >= (rule.longest_days or rule.planned_days)


def lift_as_data_came_in(
    units_by_day: CountTable, conversions_by_day: CountTable, critical_value: float
) -> tuple[Series, ...]:
    """Lift of each variant with all data up to each day, with its interval; both tables are days x arms, control first."""
    units, conversions = np.cumsum(units_by_day, axis=0), np.cumsum(conversions_by_day, axis=0)
    series = []
    for arm in range(1, units.shape[1]):
        usable = (units[:, 0] > 0) & (units[:, arm] > 0) & (conversions[:, 0] > 0)
        columns = np.full((3, len(units)), np.nan)
        if usable.any():
            x1, n1, x2, n2 = (
                part[usable] for part in (conversions[:, arm], units[:, arm], conversions[:, 0], units[:, 0])
            )
            columns[0, usable] = (x1 / n1) / (x2 / n2) - 1
            columns[1:, usable] = np.array(ratio_interval(x1, n1, x2, n2, critical_value)) - 1
        series.append(Series(*columns))
    return tuple(series)
