"""One reading of an experiment: counts in, evidence, conditions and verdict out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from neat_verdict.core.checks import InputError
from neat_verdict.core.estimate import Comparison, Rate, compare_with_control, wilson_interval
from neat_verdict.core.estimate.many import two_sided_critical_value
from neat_verdict.core.estimate.score import ratio_interval
from neat_verdict.core.judge.conditions import (
    Condition,
    effect_condition,
    minimum_conditions,
    progress,
    soundness_conditions,
)
from neat_verdict.core.judge.rule import DecisionRule, SideReading
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


def read_experiment(
    arms: Sequence[Rate],
    weights: Sequence[float],
    rule: DecisionRule,
    *,
    units_by_day: CountTable | None = None,
    days: int = 0,
    ended: bool = False,
    others: Sequence[SideReading] = (),
) -> Reading:
    """Read an experiment by its rule.

    Parameters
    ----------
    arms : sequence of Rate
        Totals, control first, 2 to 10.
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

    Raises
    ------
    InputError
        When arms and weights differ in number, or are not 2 to 10.
    """
    if len(arms) != len(weights) or not 2 <= len(arms) <= 10:
        raise InputError("variants", len(arms), f"must be 2 to 10 with a weight each ({len(weights)} given)")
    comparable = all(arm.units for arm in arms)
    comparisons = compare_with_control(arms[0], arms[1:], rule.confidence) if comparable else ()
    split = check_split([arm.units for arm in arms], weights)
    overlap = None if units_by_day is None else check_overlap(units_by_day)
    conditions = minimum_conditions(arms, days, rule) + soundness_conditions(split, overlap)
    verdict = judge(comparisons, conditions, rule, ended=ended, others=others)
    best = best_variant(comparisons, rule)
    readable = verdict.kind != "unsound" and all(line.state == "met" for line in conditions)
    letter = "ABCDEFGHIJ"[best or 1]
    conditions.append(effect_condition(comparisons[best - 1] if best else None, letter, rule, readable))
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
