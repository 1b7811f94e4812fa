"""Reading traffic whose shares followed the evidence: compared within each epoch, then put together.

Shares that change while rates drift mix the epochs differently in the arms, so that the pooled levels compare times as much as
variants. Within an epoch the shares stand still, and its comparison is fair.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy import special

from neat_verdict.core.checks import InputError, positive
from neat_verdict.core.estimate.comparison import Arm, Interval, comparable
from neat_verdict.core.estimate.means import fieller_interval
from neat_verdict.core.estimate.rates import Rate
from neat_verdict.core.numeric import FloatArray


@dataclass(frozen=True, slots=True)
class EpochArms:
    """Units first exposed while shares stood still (an epoch, or a segment within one): their arms, control first.

    ``shares`` are those they were assigned by; ``day`` places the stratum in time, a whole number that only sorts.
    """

    arms: tuple[Arm, ...]
    shares: tuple[float, ...]
    day: int = 0


@dataclass(frozen=True, slots=True)
class Stratified:
    """Levels of both arms over the same mix of epochs, their difference and lift, the statistic and its two-sided p.

    ``epochs`` are those in which both arms had enough to be compared, ``information`` the sum of their weights.
    """

    variant_level: float
    reference_level: float
    difference: Interval
    lift: Interval
    statistic: float
    pvalue: float
    epochs: int
    information: float


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
    (m1, v1), (m0, v0) = _levels(usable)
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
        information=math.fsum(_weights(usable)),
    )


def log_ratio_by_epoch(pairs: Sequence[tuple[Arm, Arm]]) -> tuple[float, float] | None:
    """The log of variant over reference, both by epoch, with its variance (delta method); None where a level is not above 0."""
    usable = [pair for pair in pairs if _usable(*pair)]
    if not usable:
        return None
    (m1, v1), (m0, v0) = _levels(usable)
    if not (m1 > 0 and m0 > 0 and v1 + v0 > 0):
        return None
    return math.log(m1 / m0), v1 / m1**2 + v0 / m0**2


def _levels(usable: Sequence[tuple[Arm, Arm]]) -> list[tuple[float, float]]:
    """Level and variance of the variant, then of the reference."""
    weights = _weights(usable)
    total = math.fsum(weights)
    found = []
    for side in (0, 1):
        arms = [pair[side] for pair in usable]
        level = math.fsum(w * arm.estimate for w, arm in zip(weights, arms, strict=True)) / total
        variance = math.fsum(w * w * v for w, v in zip(weights, _variances(arms), strict=True)) / total**2
        found.append((level, variance))
    return found


def epoch_information(pairs: Sequence[tuple[Arm, Arm]]) -> float:
    """The weights of the epochs that can be compared, added up: the units of a comparison, Σ n₁n₀/(n₁ + n₀)."""
    return math.fsum(_weights([pair for pair in pairs if _usable(*pair)]))


def running_lift(
    pairs: Sequence[tuple[Arm, Arm]], days: Sequence[int], critical_value: float
) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Lift, low and high with all pairs up to each day of ``days`` (sorted as the pairs are, one day a pair).

    One value for each distinct day, in order; nan before anything can be compared. The lifts of `compare_by_epoch`, cumulated.
    """
    distinct = sorted(set(days))
    place = {day: index for index, day in enumerate(distinct)}
    usable = [(pair, place[day]) for pair, day in zip(pairs, days, strict=True) if _usable(*pair)]
    weights = np.array(_weights([pair for pair, _ in usable]))
    at = np.array([index for _, index in usable], dtype=np.int64)

    def up_to(values: FloatArray) -> FloatArray:
        return np.cumsum(np.bincount(at, values, minlength=len(distinct)))

    if not usable:
        nothing = np.full(len(distinct), np.nan)
        return nothing, nothing, nothing
    total = up_to(weights)
    sums = []
    for side in (0, 1):
        arms = [pair[side] for pair, _ in usable]
        level = up_to(weights * np.array([arm.estimate for arm in arms]))
        sums.append((level, up_to(weights**2 * np.array(_variances(arms)))))
    with np.errstate(divide="ignore", invalid="ignore"):
        (m1, v1), (m0, v0) = ((level / total, spread / total**2) for level, spread in sums)
        low, high = fieller_interval(m1, v1, m0, v0, critical_value)
        lift = m1 / m0 - 1
    known = (total > 0) & (m0 > 0) & (v1 + v0 > 0)
    found = [np.where(known, part, np.nan) for part in (lift, low - 1, high - 1)]
    return found[0], found[1], found[2]


def _usable(variant: Arm, reference: Arm) -> bool:
    if type(variant) is not type(reference):
        raise InputError(
            "pairs", type(variant).__name__, f"must be compared with its like, not a {type(reference).__name__}"
        )
    return comparable([variant, reference])


def _weights(pairs: Sequence[tuple[Arm, Arm]]) -> list[float]:
    return [v.units * r.units / (v.units + r.units) for v, r in pairs]


def _variances(arms: Sequence[Arm]) -> list[float]:
    """Of an arm's levels. For rates the unbiased p(1 - p)/(n - 1) of each epoch, which many small epochs may be added up by.

    Where an arm has no conversions in any epoch, or none but conversions, nothing would vary: then, as in an epoch with one
    unit, the rate of all epochs stands in, with one success and one failure added.
    """
    rates = [arm for arm in arms if isinstance(arm, Rate)]
    if len(rates) < len(arms):
        return [arm.squared_error for arm in arms if not isinstance(arm, Rate)]
    done, seen = sum(arm.conversions for arm in rates), sum(arm.units for arm in rates)
    pooled = (done + 1) / (seen + 2)
    if done in (0, seen):
        return [pooled * (1 - pooled) / arm.units for arm in rates]
    return [
        arm.estimate * (1 - arm.estimate) / (arm.units - 1) if arm.units > 1 else pooled * (1 - pooled) for arm in rates
    ]
