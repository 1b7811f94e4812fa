"""Cost and views that are known in sums only: cost per conversion, revenue per thousand views.

What was billed and shown is taken as known; all the chance is in the metric, so each interval is the metric's, turned. Common
practice, no source.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from neat_verdict.core.checks import InputError
from neat_verdict.core.estimate.comparison import Interval


@dataclass(frozen=True, slots=True)
class Outlay:
    """Sums of an arm: money spent and times shown, both 0 or more. Raises InputError for others."""

    cost: float = 0.0
    views: float = 0.0

    def __post_init__(self) -> None:
        for field in ("cost", "views"):
            value = getattr(self, field)
            if not (math.isfinite(value) and value >= 0):
                raise InputError(field, value, "must be 0 or more")

    def __add__(self, other: Outlay) -> Outlay:
        return Outlay(self.cost + other.cost, self.views + other.views)


def cost_per(level: Interval, units: int, cost: float) -> Interval:
    """Cost of one conversion (or of one of what the metric sums), from an arm's level; unbounded where the level may be 0."""
    return Interval(
        _over(cost, units * level.estimate), _over(cost, units * level.high), _over(cost, units * level.low)
    )


def per_thousand_views(level: Interval, units: int, views: float) -> Interval:
    """What a thousand views bring; nan without views."""
    scale = 1000 * units / views if views else math.nan
    return Interval(level.estimate * scale, level.low * scale, level.high * scale)


def cost_lift(lift: Interval, units: tuple[int, int], costs: tuple[float, float]) -> Interval:
    """Relative change of the cost per conversion; pairs are (control, variant). Negative is cheaper."""
    each = _over(costs[1], units[1]) / _over(costs[0], units[0]) if all(units) and costs[0] else math.nan
    return Interval(_over(each, 1 + lift.estimate) - 1, _over(each, 1 + lift.high) - 1, _over(each, 1 + lift.low) - 1)


def views_lift(lift: Interval, units: tuple[int, int], views: tuple[float, float]) -> Interval:
    """Relative change of what a thousand views bring; pairs are (control, variant)."""
    seen = (units[1] / views[1]) / (units[0] / views[0]) if all(views) and units[0] else math.nan
    return Interval((1 + lift.estimate) * seen - 1, (1 + lift.low) * seen - 1, (1 + lift.high) * seen - 1)


def _over(above: float, below: float) -> float:
    if math.isnan(above) or math.isnan(below):
        return math.nan
    return above / below if below > 0 else math.inf
