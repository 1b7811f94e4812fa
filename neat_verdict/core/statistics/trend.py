"""Does an effect fade or grow? A straight line through the effects of successive groups, weighted by their precision."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy import special

from neat_verdict.core.checks import InputError, check_number
from neat_verdict.core.statistics.meta_analysis import Effect, checked_effects


@dataclass(frozen=True, slots=True)
class Trend:
    """``slope`` is the change of the effect per unit of time, ``error`` its standard error, ``pvalue`` two-sided."""

    slope: float
    error: float
    pvalue: float


def trend(times: Sequence[float], effects: Sequence[Effect]) -> Trend | None:
    """Weighted least squares with the weights taken as known (inverse variances); None with fewer than 3 groups.

    Raises InputError when times and effects differ in number. Cochran (1954) for the weights; the slope's test is the chi-square
    for linear trend with 1 degree of freedom.
    """
    if len(times) != len(effects):
        raise InputError("effects", len(effects), f"must be one for each of {len(times)} times")
    if len(effects) < 3:
        return None
    t = np.array([check_number("times", time) for time in times])
    y, v = checked_effects(effects)
    w = 1 / v
    middle = (w * t).sum() / w.sum()
    spread = float((w * (t - middle) ** 2).sum())
    if spread <= 0:
        return None
    slope = float((w * (t - middle) * y).sum() / spread)
    error = 1 / math.sqrt(spread)
    return Trend(slope, error, float(2 * special.ndtr(-abs(slope / error))))
