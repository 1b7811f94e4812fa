"""What a rollout would be worth, in the units of the decision."""

from __future__ import annotations

from neat_verdict.core.estimate import Comparison, Interval

MONTH = 30


def impact(comparison: Comparison, units_per_day: float, days: int = MONTH) -> Interval:
    """Conversions gained (lost, if negative) in ``days`` if all of ``units_per_day`` got the variant.

    The absolute difference with its interval, times the units: a projection that takes the tested visitors for those to come.
    """
    units = units_per_day * days
    difference = comparison.difference
    return Interval(difference.estimate * units, difference.low * units, difference.high * units)
