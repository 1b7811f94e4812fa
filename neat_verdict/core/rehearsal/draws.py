"""Drawing many runs at once, and the statistics by which they are read."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.rehearsal.world import World

Rows = slice | NDArray[np.int64] | int
ALL = slice(None)


@dataclass(frozen=True, slots=True)
class Runs:
    """Running totals of many runs: ``totals`` is runs x days x arms, ``units`` days x arms (the same in all runs).

    For means ``standard_deviation`` is that of a unit's value, taken as known; None for rates.
    """

    units: FloatArray
    totals: FloatArray
    standard_deviation: float | None

    def statistic(self, arm: int, ratio: float = 1.0, rows: Rows = ALL, day: Rows = ALL) -> FloatArray:
        """Standardised distance of an arm's level from ``ratio`` times control's; 0 where nothing varies.

        For rates the score statistic: pooled at ratio 1, constrained by the ratio elsewhere (the same as
        `core.statistics.ratio_statistic`, on whole tables). For means that of Fieller. Of all runs and days, or of some.
        """
        n1, n0 = self.units[day, arm], self.units[day, 0]
        x1, x0 = self.totals[rows, day, arm], self.totals[rows, day, 0]
        gap = x1 / n1 - ratio * (x0 / n0)
        if self.standard_deviation is not None:
            return np.asarray(gap / (self.standard_deviation * np.sqrt(1 / n1 + ratio**2 / n0)))
        if ratio == 1.0:
            pooled = (x1 + x0) / (n1 + n0)
            variance = pooled * (1 - pooled) * (1 / n1 + 1 / n0)
        else:
            p0 = _constrained(x1, n1, x0, n0, ratio)
            p1 = np.minimum(ratio * p0, 1.0)
            variance = p1 * (1 - p1) / n1 + ratio**2 * p0 * (1 - p0) / n0
        return _standardised(gap, variance)

    def posterior_statistic(self, arm: int, ratio: float = 1.0, rows: Rows = ALL, day: Rows = ALL) -> FloatArray:
        """The same distance in standard deviations of the posterior, by its normal approximation (prior Beta(1, 1))."""
        (m1, v1), (m0, v0) = self.posterior(arm, rows, day), self.posterior(0, rows, day)
        return _standardised(m1 - ratio * m0, v1 + ratio**2 * v0)

    def posterior(self, arm: int, rows: Rows = ALL, day: Rows = ALL) -> tuple[FloatArray, FloatArray]:
        """Mean and variance of an arm's posterior."""
        n, x = self.units[day, arm], self.totals[rows, day, arm]
        if self.standard_deviation is not None:
            return x / n, np.broadcast_to(self.standard_deviation**2 / n, x.shape)
        mean = (x + 1) / (n + 2)
        return mean, mean * (1 - mean) / (n + 3)

    def lift(self, arm: int, rows: Rows = ALL, day: Rows = ALL) -> FloatArray:
        """Relative to control; nan where control has nothing yet."""
        x1, x0 = self.totals[rows, day, arm], self.totals[rows, day, 0]
        scale = self.units[day, 0] / self.units[day, arm]
        return np.asarray(np.divide(x1 * scale, x0, out=np.full_like(x1, np.nan), where=x0 != 0) - 1)


def _standardised(gap: FloatArray, variance: FloatArray) -> FloatArray:
    error = np.sqrt(variance)
    return np.asarray(np.divide(gap, error, out=np.zeros_like(gap), where=error > 0))


def _constrained(x1: FloatArray, n1: FloatArray, x0: FloatArray, n0: FloatArray, ratio: float) -> FloatArray:
    b = (n1 + x0) * ratio + x1 + n0
    root = np.sqrt(np.maximum(b**2 - 4 * (n1 + n0) * ratio * (x1 + x0), 0))
    return np.asarray(np.minimum(2 * (x1 + x0) / (b + root), 1.0))


def draw_runs(world: World, lifts: FloatArray, runs: int, random: np.random.Generator) -> Runs:
    """Draw ``runs`` runs. Rates are binomial by day; sums of means are normal by day (many units each, so near enough)."""
    units, levels = world.units(), world.levels(lifts)
    shape = (runs, *units.shape)
    if world.baseline.standard_deviation is None:
        drawn = random.binomial(units, levels, size=shape).astype(np.float64)
    else:
        drawn = random.standard_normal(shape) * (world.baseline.standard_deviation * np.sqrt(units)) + units * levels
    return Runs(
        np.cumsum(units, axis=0).astype(np.float64),
        np.cumsum(drawn, axis=1, out=drawn),
        world.baseline.standard_deviation,
    )
