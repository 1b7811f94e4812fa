"""Reading traffic whose shares followed the evidence: compared within each epoch, then put together.

Shares that change while rates drift mix the epochs differently in the arms, so that the pooled levels compare times as much as
variants. Within an epoch the shares stand still, and its comparison is fair.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from scipy import special

from neat_verdict.core.checks import InputError, positive
from neat_verdict.core.estimate.comparison import Arm, Interval, comparable
from neat_verdict.core.estimate.means import fieller_interval
from neat_verdict.core.estimate.rates import Rate


@dataclass(frozen=True, slots=True)
class Stratified:
    """Levels of both arms over the same mix of epochs, their difference and lift, the statistic and its two-sided p.

    ``epochs`` are those in which both arms had enough to be compared.
    """

    variant_level: float
    reference_level: float
    difference: Interval
    lift: Interval
    statistic: float
    pvalue: float
    epochs: int


def compare_by_epoch(pairs: Sequence[tuple[Arm, Arm]], critical_value: float) -> Stratified | None:
    """Compare a variant with a reference epoch by epoch.

    Parameters
    ----------
    pairs : sequence of (variant, reference)
        Arms of one kind, one pair an epoch; those with too little to compare are left out.
    critical_value : float
        Two-sided normal critical value, above 0.

    Returns
    -------
    Stratified or None
        None where no epoch can be compared. Each epoch weighs n₁n₀/(n₁ + n₀): for rates the Mantel-Haenszel difference. Weights
        come from counts alone, never from outcomes. The lift is Fieller's, unbounded where the reference is not clear of zero.

    Raises
    ------
    InputError
        For a critical value that is not above 0.

    References
    ----------
    Mantel & Haenszel (1959), J. Natl. Cancer Inst. 22, 719-748; Fieller (1954), J. R. Stat. Soc. B 16, 175-185.
    """
    positive("critical_value", critical_value)
    usable = [(variant, reference) for variant, reference in pairs if _usable(variant, reference)]
    if not usable:
        return None
    weights = [v.units * r.units / (v.units + r.units) for v, r in usable]
    total = math.fsum(weights)
    levels = []
    for side in (0, 1):
        arms = [pair[side] for pair in usable]
        level = math.fsum(w * arm.estimate for w, arm in zip(weights, arms, strict=True)) / total
        variance = math.fsum(w * w * _variance(arm) for w, arm in zip(weights, arms, strict=True)) / total**2
        levels.append((level, variance))
    (m1, v1), (m0, v0) = levels
    error = math.sqrt(v1 + v0)
    statistic = (m1 - m0) / error if error else 0.0
    reach = critical_value * error
    low, high = fieller_interval(m1, v1, m0, v0, critical_value)
    return Stratified(
        variant_level=m1,
        reference_level=m0,
        difference=Interval(m1 - m0, m1 - m0 - reach, m1 - m0 + reach),
        lift=Interval(m1 / m0 - 1 if m0 > 0 else math.nan, float(low) - 1, float(high) - 1),
        statistic=statistic,
        pvalue=float(2 * special.ndtr(-abs(statistic))),
        epochs=len(usable),
    )


def _usable(variant: Arm, reference: Arm) -> bool:
    if type(variant) is not type(reference):
        raise InputError(
            "pairs", type(variant).__name__, f"must be compared with its like, not a {type(reference).__name__}"
        )
    return comparable([variant, reference])


def _variance(arm: Arm) -> float:
    """Of the level; a rate's with one success and one failure added, so that an epoch without conversions is not certain."""
    if isinstance(arm, Rate):
        smoothed = (arm.conversions + 1) / (arm.units + 2)
        return smoothed * (1 - smoothed) / arm.units
    return arm.squared_error
