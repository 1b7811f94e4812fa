"""What a rollout would be worth, in the units of the decision."""

from __future__ import annotations

from neat_verdict.core.checks import InputError, check_count, check_positive
from neat_verdict.core.statistics import Comparison, Interval

MONTH = 30


def impact(comparison: Comparison, units_per_day: float, days: int = MONTH) -> Interval:
    """What is gained (lost, if negative) in ``days`` if all of ``units_per_day`` got the variant, in the metric's own units.

    The absolute difference with its interval, times the units: a projection that takes the tested visitors for those to come. Of
    a ratio, times control's denominator for each unit: a change of the ratio at the volume of today. Raises InputError for a
    level that does not add up over units (a quantile).
    """
    if not comparison.reference.adds_up:
        noun = comparison.reference.notation.noun
        raise InputError("comparison", noun, "must be of levels that add up over units")
    check_positive("units_per_day", units_per_day)
    check_count("days", days, 1)
    units = units_per_day * days * comparison.reference.total_per_level
    difference = comparison.difference
    return Interval(difference.estimate * units, difference.low * units, difference.high * units)
