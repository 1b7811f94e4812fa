"""From units to calendar time: whole weeks, because a week's rhythm must be in the data as often as it occurs."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from neat_verdict.core.checks import InputError, check_count, check_positive

MAX_RUN_WEEKS = 13
MIN_WEEKS = 2


@dataclass(frozen=True, slots=True)
class RampStep:
    """``days`` at the start during which only the share ``participation`` takes part, in (0, 1]."""

    days: int
    participation: float

    def __post_init__(self) -> None:
        check_count("ramp", self.days, 1)
        _participation(self.participation)


@dataclass(frozen=True, slots=True)
class Arrivals:
    """Units that take part: ``audience_per_day`` qualify each day, the share ``participation`` takes part after the ramp.

    Raises InputError for an audience that is not above 0, or a participation outside (0, 1].
    """

    audience_per_day: float
    participation: float = 1.0
    ramp: tuple[RampStep, ...] = ()

    def __post_init__(self) -> None:
        check_positive("audience_per_day", self.audience_per_day)
        _participation(self.participation)

    @property
    def per_day(self) -> float:
        """After the ramp."""
        return self.audience_per_day * self.participation

    def participation_on(self, day: int) -> float:
        """The share that takes part on a day of the run, counted from 1."""
        for step in self.ramp:
            if day <= step.days:
                return step.participation
            day -= step.days
        return self.participation

    def until(self, days: float) -> float:
        """Units in after ``days``."""
        left, units = days, 0.0
        for step in self.ramp:
            spent = min(step.days, left)
            units += spent * self.audience_per_day * step.participation
            left -= spent
        return units + left * self.per_day

    def days_for(self, units: float) -> int:
        """Whole days until ``units`` are in."""
        left, days = units, 0
        for step in self.ramp:
            a_day = self.audience_per_day * step.participation
            if left <= step.days * a_day + 1e-9:
                return days + max(1, math.ceil(left / a_day - 1e-9))
            left -= step.days * a_day
            days += step.days
        return days + max(1, math.ceil(left / self.per_day - 1e-9))


def _participation(value: float) -> None:
    if not 0 < value <= 1:
        raise InputError("participation", value, "must be above 0 and at most 1")


@dataclass(frozen=True, slots=True)
class Duration:
    """Length of a run. ``days_needed`` is what the sample asks for; ``weeks`` is that in whole weeks, at least the minimum.

    ``rounds`` of at most the longest run allowed hold it all; 1 where one run does. ``weeks`` are those of all rounds that were
    asked for, as long as each other.
    """

    units_per_day: float
    days_needed: int
    weeks: int
    too_long: bool
    rounds: int


def duration(
    total_units: int,
    arrivals: Arrivals,
    *,
    least_weeks: int = MIN_WEEKS,
    longest_run_weeks: int = MAX_RUN_WEEKS,
    rounds: int = 1,
) -> Duration:
    """Whole weeks until ``total_units`` (above 0) have arrived, in ``rounds`` of the same length.

    ``too_long`` says that the longest run allowed, or that of each round, would end first. At least two whole weeks: common
    practice, no source.
    Raises InputError for values outside those ranges.
    """
    check_count("least_weeks", least_weeks, 1)
    check_count("longest_run_weeks", longest_run_weeks, 1)
    days = arrivals.days_for(check_count("total_units", total_units, 1))
    a_round = max(least_weeks, math.ceil(days / 7 / rounds))
    return Duration(
        units_per_day=arrivals.per_day,
        days_needed=days,
        weeks=rounds * a_round,
        too_long=a_round > longest_run_weeks,
        rounds=max(rounds, math.ceil(rounds * a_round / longest_run_weeks)),
    )


def units_by_week(arrivals: Arrivals, weeks: int) -> Sequence[float]:
    """Units in after 1, 2, … ``weeks`` whole weeks."""
    return [arrivals.until(7 * week) for week in range(1, weeks + 1)]
