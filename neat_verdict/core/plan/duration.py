"""From units to calendar time: whole weeks, because a week's rhythm must be in the data as often as it occurs."""

from __future__ import annotations

import math
from dataclasses import dataclass

from neat_verdict.core.checks import InputError, positive
from neat_verdict.core.plan.levels import Strictness
from neat_verdict.core.plan.sample import Arms, detectable_lift

LONGEST_RUN_WEEKS = 13
LEAST_WEEKS = 2


@dataclass(frozen=True, slots=True)
class Duration:
    """Length of a run. ``days_needed`` is what the sample asks for; ``weeks`` is that in whole weeks, at least the minimum."""

    units_per_day: float
    days_needed: int
    weeks: int
    too_long: bool


def duration(
    total_units: int,
    audience_per_day: float,
    participation: float = 1.0,
    *,
    least_weeks: int = LEAST_WEEKS,
    longest_run_weeks: int = LONGEST_RUN_WEEKS,
) -> Duration:
    """Whole weeks until ``total_units`` have arrived.

    ``audience_per_day`` units qualify each day (above 0) and the share ``participation`` in (0, 1] takes part.
    ``too_long`` says that the longest run allowed would end first. At least two whole weeks: common practice, no source.

    Raises InputError for values outside those ranges.
    """
    positive("audience_per_day", audience_per_day)
    if not 0 < participation <= 1:
        raise InputError("participation", participation, "must be above 0 and at most 1")
    per_day = audience_per_day * participation
    days = max(1, math.ceil(positive("total_units", total_units) / per_day - 1e-9))
    weeks = max(least_weeks, math.ceil(days / 7))
    return Duration(units_per_day=per_day, days_needed=days, weeks=weeks, too_long=weeks > longest_run_weeks)


def detectable_lift_by_week(
    weeks: int, units_per_day: float, baseline: float, arms: Arms, strictness: Strictness
) -> tuple[float | None, ...]:
    """What each extra week buys: the minimum detectable effect after 1, 2, … ``weeks`` whole weeks."""
    return tuple(detectable_lift(7 * week * units_per_day, baseline, arms, strictness) for week in range(1, weeks + 1))
