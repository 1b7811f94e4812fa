"""The invented world of a rehearsal: a plan's units day by day, and what the arms truly do."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from neat_verdict.core.checks import InputError, check_count, check_positive
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.planning import Arms, Arrivals, Baseline, Plan, PlanRequest
from neat_verdict.core.rule import DecisionRule, rule_for

FLAT = (1.0,) * 7
# An invented, typical week, Monday first: units (more at its start) and level (higher when fewer come). Each averages 1.
WEEK_OF_UNITS = (1.12, 1.08, 1.04, 1.02, 1.00, 0.86, 0.88)
WEEK_OF_LEVELS = (0.97, 0.98, 0.99, 1.00, 1.01, 1.03, 1.02)


@dataclass(frozen=True, slots=True)
class World:
    """What a rehearsal draws from.

    Parameters
    ----------
    baseline : Baseline
        Control's level over a whole week.
    arms : Arms
        The split.
    arrivals : Arrivals
        Units that take part, with their ramp. They arrive as expected: the split and the traffic are not what is rehearsed.
    days : int
        Length of the run, 1 or more.
    units_rhythm, level_rhythm : tuple of 7 float
        Multipliers by day of the week, the first for the first day of the run; above 0. Both arms share them.

    Raises
    ------
    InputError
        For a rhythm that is not seven numbers above 0, or too few days.
    """

    baseline: Baseline
    arms: Arms
    arrivals: Arrivals
    days: int
    units_rhythm: tuple[float, ...] = WEEK_OF_UNITS
    level_rhythm: tuple[float, ...] = WEEK_OF_LEVELS

    def __post_init__(self) -> None:
        check_count("days", self.days, 1)
        for name in ("units_rhythm", "level_rhythm"):
            rhythm = getattr(self, name)
            if len(rhythm) != 7:
                raise InputError(name, len(rhythm), "must be seven numbers, one a day of the week")
            for value in rhythm:
                check_positive(name, value)

    def units(self) -> NDArray[np.int64]:
        """Whole units by day and arm, control first; what is rounded off one day comes the next."""
        expected = np.diff([self.arrivals.until(day) for day in range(self.days + 1)])
        expected = expected * np.resize(self.units_rhythm, self.days)
        running = np.cumsum(np.outer(expected, self.arms.shares), axis=0)
        whole = np.vstack([np.zeros(len(self.arms.shares)), np.floor(running + 1e-9)])
        units: NDArray[np.int64] = (whole[1:] - whole[:-1]).astype(np.int64)
        return units

    def levels(self, lifts: FloatArray) -> FloatArray:
        """True level by day and arm; ``lifts`` are relative, control's first (0). Rates are kept between 0 and 1."""
        level = self.baseline.value * np.outer(np.resize(self.level_rhythm, self.days), 1 + lifts)
        return np.clip(level, 0, 1) if self.baseline.is_rate else level


def world_of(request: PlanRequest, plan: Plan) -> tuple[World, DecisionRule]:
    """The world and the rule that a plan expects, with a typical week, for as long as the plan lasts.

    With covariate adjustment the metric is read as an adjusted mean, which varies less.
    """
    baseline = request.baseline
    if request.correlation:
        baseline = Baseline(baseline.value, math.sqrt(baseline.variance * (1 - request.correlation**2)))
    return World(baseline, request.arms, request.arrivals, 7 * plan.duration.weeks), rule_for(request, plan)
