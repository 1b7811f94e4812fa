"""Spend and impressions that are known in sums only: cost per conversion, revenue per thousand impressions.

What was billed and shown is taken as known; all the chance is in the metric, so each interval is the metric's, turned. Common
practice, no source.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from neat_verdict.core.checks import check_count, check_not_negative
from neat_verdict.core.statistics.interval import Interval


@dataclass(frozen=True, slots=True)
class Spend:
    """Sums of an arm: cost (money spent) and impressions (times shown), both 0 or more. Raises InputError for others."""

    cost: float = 0.0
    impressions: float = 0.0

    def __post_init__(self) -> None:
        for field in ("cost", "impressions"):
            check_not_negative(field, getattr(self, field))

    def __add__(self, other: Spend) -> Spend:
        return Spend(self.cost + other.cost, self.impressions + other.impressions)


def cost_per(level: Interval, units: int, cost: float) -> Interval:
    """Cost of one conversion (or of one of what the metric sums), from an arm's level; unbounded where the level may be 0."""
    check_count("units", units)
    check_not_negative("cost", cost)
    return Interval(
        _over(cost, units * level.estimate), _over(cost, units * level.high), _over(cost, units * level.low)
    )


def per_thousand_impressions(level: Interval, units: int, impressions: float) -> Interval:
    """What a thousand impressions bring; nan without impressions."""
    check_count("units", units)
    check_not_negative("impressions", impressions)
    scale = 1000 * units / impressions if impressions else math.nan
    return Interval(level.estimate * scale, level.low * scale, level.high * scale)


def cost_lift(lift: Interval, units: tuple[int, int], costs: tuple[float, float]) -> Interval:
    """Relative change of the cost per conversion; pairs are (control, variant). Negative is cheaper."""
    _check_pairs(units, "costs", costs)
    each = _over(costs[1], units[1]) / _over(costs[0], units[0]) if all(units) and costs[0] else math.nan
    return Interval(_over(each, 1 + lift.estimate) - 1, _over(each, 1 + lift.high) - 1, _over(each, 1 + lift.low) - 1)


def impressions_lift(lift: Interval, units: tuple[int, int], impressions: tuple[float, float]) -> Interval:
    """Relative change of what a thousand impressions bring; pairs are (control, variant)."""
    _check_pairs(units, "impressions", impressions)
    seen = (units[1] / impressions[1]) / (units[0] / impressions[0]) if all(impressions) and units[0] else math.nan
    return Interval((1 + lift.estimate) * seen - 1, (1 + lift.low) * seen - 1, (1 + lift.high) * seen - 1)


def _check_pairs(units: tuple[int, int], field: str, sums: tuple[float, float]) -> None:
    for count in units:
        check_count("units", count)
    for value in sums:
        check_not_negative(field, value)


def _over(numerator: float, denominator: float) -> float:
    if math.isnan(numerator) or math.isnan(denominator):
        return math.nan
    return numerator / denominator if denominator > 0 else math.inf
