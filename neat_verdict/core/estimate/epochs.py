"""Reading traffic whose shares followed the evidence: compared within each epoch, then put together.

Shares that change while rates drift mix the epochs differently in the arms, so that the pooled levels compare times as much as
variants. Within an epoch the shares stand still, and its comparison is fair.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import special

from neat_verdict.core.checks import InputError, positive
from neat_verdict.core.estimate.comparison import Arm, Interval, comparable
from neat_verdict.core.estimate.means import fieller_interval
from neat_verdict.core.estimate.rates import Rate
from neat_verdict.core.numeric import FloatArray


@dataclass(frozen=True, slots=True)
class EpochArms:
    """Units first exposed while shares stood still (an epoch, or a segment within one): their arms, control first.

    ``shares`` are those they were assigned by; ``day`` places them in time, a whole number that only sorts; ``segment`` is ""
    where everybody was steered alike.
    """

    arms: tuple[Arm, ...]
    shares: tuple[float, ...]
    day: int = 0
    segment: str = ""

    def pair(self, variant: int, reference: int) -> EpochPair:
        """Two of the arms, by position, to be compared."""
        units = sum(arm.units for arm in self.arms)
        return EpochPair(self.arms[variant], self.arms[reference], self.segment, units)


@dataclass(frozen=True, slots=True)
class EpochPair:
    """A variant and a reference of one epoch, and of one segment of ``units`` in all arms where segments are steered apart."""

    variant: Arm
    reference: Arm
    segment: str = ""
    units: float = 0.0

    def __post_init__(self) -> None:
        if type(self.variant) is not type(self.reference):
            kinds = type(self.variant).__name__, type(self.reference).__name__
            raise InputError("pairs", kinds[0], f"must be compared with its like, not a {kinds[1]}")

    @property
    def usable(self) -> bool:
        """True where both arms have enough to be compared."""
        return comparable([self.variant, self.reference])

    @property
    def weight(self) -> float:
        """n₁n₀/(n₁ + n₀)."""
        n1, n0 = self.variant.units, self.reference.units
        return n1 * n0 / (n1 + n0)


@dataclass(frozen=True, slots=True)
class Stratified:
    """Levels of both arms over the same mix of epochs, with their standard errors, difference and lift, the statistic and its
    two-sided p.

    ``epochs`` are those in which both arms had enough to be compared; ``information`` the units of the comparison: one of two
    arms of n units each has n/2.
    """

    variant_level: float
    reference_level: float
    variant_error: float
    reference_error: float
    difference: Interval
    lift: Interval
    statistic: float
    pvalue: float
    epochs: int
    information: float


def compare_by_epoch(pairs: Sequence[EpochPair], critical_value: float) -> Stratified | None:
    """Compare a variant with a reference epoch by epoch.

    Parameters
    ----------
    pairs : sequence of EpochPair
        One an epoch, or one an epoch and segment; those with too little to compare are left out.
    critical_value : float
        Two-sided normal critical value, above 0.

    Returns
    -------
    Stratified or None
        None where no epoch can be compared. Each epoch weighs n₁n₀/(n₁ + n₀): for rates the Mantel-Haenszel difference. Weights
        come from counts alone, never from outcomes. Segments that were steered apart are each compared so, and put together by
        their units in all arms (direct standardisation): otherwise those would weigh most in which the variant was shown most,
        which is where it looked best. The lift is Fieller's, unbounded where the reference is not clear of zero.

    Raises
    ------
    InputError
        For a critical value that is not above 0.

    References
    ----------
    Mantel & Haenszel (1959), J. Natl. Cancer Inst. 22, 719-748; Fieller (1954), J. R. Stat. Soc. B 16, 175-185; direct
    standardisation: Fleiss, Levin & Paik (2003), chapter 19.
    """
    positive("critical_value", critical_value)
    usable = [pair for pair in pairs if pair.usable]
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
        variant_error=math.sqrt(v1),
        reference_error=math.sqrt(v0),
        difference=Interval(m1 - m0, m1 - m0 - reach, m1 - m0 + reach),
        lift=Interval(m1 / m0 - 1 if m0 > 0 else math.nan, float(low) - 1, float(high) - 1),
        statistic=statistic,
        pvalue=float(2 * special.ndtr(-abs(statistic))),
        epochs=len(usable),
        information=epoch_information(usable),
    )


def epoch_information(pairs: Sequence[EpochPair]) -> float:
    """The units of a comparison: Σ n₁n₀/(n₁ + n₀) of the epochs that can be compared; 0 without any.

    Of segments that were steered apart 1/Σ(π²/Σw), π their parts of all units: what the same variance would take in one.
    """
    parts = _segments([pair for pair in pairs if pair.usable])
    if not parts:
        return 0.0
    return 1 / math.fsum(part**2 / math.fsum(pair.weight for pair in group) for part, group in parts)


def _segments(usable: Sequence[EpochPair]) -> list[tuple[float, list[EpochPair]]]:
    """The pairs by segment, each with its part of all units."""
    groups: dict[str, list[EpochPair]] = {}
    for pair in usable:
        groups.setdefault(pair.segment, []).append(pair)
    if len(groups) == 1:
        return [(1.0, group) for group in groups.values()]
    total = math.fsum(pair.units for pair in usable)
    return [(math.fsum(pair.units for pair in group) / total, group) for group in groups.values()]


def log_ratio_by_epoch(pairs: Sequence[EpochPair]) -> tuple[float, float] | None:
    """The log of variant over reference, both by epoch, with its variance (delta method); None where a level is not above 0."""
    usable = [pair for pair in pairs if pair.usable]
    if not usable:
        return None
    (m1, v1), (m0, v0) = _levels(usable)
    if not (m1 > 0 and m0 > 0 and v1 + v0 > 0):
        return None
    return math.log(m1 / m0), v1 / m1**2 + v0 / m0**2


def _levels(usable: Sequence[EpochPair]) -> list[tuple[float, float]]:
    """Level and variance of the variant, then of the reference."""
    found = [[0.0, 0.0], [0.0, 0.0]]
    for part, group in _segments(usable):
        weights = [pair.weight for pair in group]
        total = math.fsum(weights)
        for side, arms in enumerate(_sides(group)):
            level = math.fsum(w * arm.estimate for w, arm in zip(weights, arms, strict=True)) / total
            found[side][0] += part * level
            found[side][1] += part**2 * _noise(weights, arms) / total**2
    return [(level, variance) for level, variance in found]


def _sides(pairs: Sequence[EpochPair]) -> tuple[list[Arm], list[Arm]]:
    return [pair.variant for pair in pairs], [pair.reference for pair in pairs]


def running_lift(
    pairs: Sequence[EpochPair], days: Sequence[int], critical_value: float
) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Lift, low and high with all pairs up to each day of ``days`` (sorted as the pairs are, one day a pair).

    One value for each distinct day, in order; nan before anything can be compared. The lifts of `compare_by_epoch`, cumulated.
    """
    distinct = sorted(set(days))
    place = {day: index for index, day in enumerate(distinct)}
    groups: dict[str, list[tuple[EpochPair, int]]] = {}
    for pair, day in zip(pairs, days, strict=True):
        if pair.usable:
            groups.setdefault(pair.segment, []).append((pair, place[day]))
    count = len(distinct)
    units = np.zeros(count)
    level, spread = np.zeros((2, count)), np.zeros((2, count))
    for group in groups.values():
        mine = [pair for pair, _ in group]
        at = np.array([index for _, index in group], dtype=np.int64)

        def up_to(values: FloatArray, at: NDArray[np.int64] = at) -> FloatArray:
            return np.cumsum(np.bincount(at, values, minlength=count))

        weights = np.array([pair.weight for pair in mine])
        total = up_to(weights)
        part = up_to(np.array([pair.units or 1.0 for pair in mine]))
        units += part
        for side, arms in enumerate(_sides(mine)):
            levels, units_here = np.array([arm.estimate for arm in arms]), np.array([float(arm.units) for arm in arms])
            seen = up_to(weights * levels)
            with np.errstate(divide="ignore", invalid="ignore"):
                if isinstance(arms[0], Rate):  # as `_noise` has it
                    whole, n = up_to(weights**2 / units_here), up_to(units_here)
                    p = (up_to(weights**2 / units_here * levels) / whole * n + 1) / (n + 2)
                    noise = p * (1 - p) * whole
                else:
                    noise = up_to(
                        weights**2 * np.array([arm.squared_error for arm in arms if not isinstance(arm, Rate)])
                    )
                level[side] += np.nan_to_num(part * seen / total)
                spread[side] += np.nan_to_num(part**2 * noise / total**2)
    with np.errstate(divide="ignore", invalid="ignore"):
        m1, m0 = level / units
        v1, v0 = spread / units**2
        low, high = fieller_interval(m1, v1, m0, v0, critical_value)
        lift = m1 / m0 - 1
    known = (units > 0) & (m0 > 0) & (v1 + v0 > 0)
    found = [np.where(known, part, np.nan) for part in (lift, low - 1, high - 1)]
    return found[0], found[1], found[2]


def _noise(weights: Sequence[float], arms: Sequence[Arm]) -> float:
    """Variance of the weighted sum of the arms' levels.

    For rates p(1 - p) Σ w²/n, where p is the mean of the epochs' rates by w²/n, with one success and one failure added: many
    small epochs tell the spread together better than each by itself, and where levels drift it can only be too large.
    """
    rates = [arm for arm in arms if isinstance(arm, Rate)]
    if len(rates) < len(arms):
        means = [arm for arm in arms if not isinstance(arm, Rate)]
        return math.fsum(w * w * arm.squared_error for w, arm in zip(weights, means, strict=True))
    shares = [w * w / arm.units for w, arm in zip(weights, rates, strict=True)]
    whole = math.fsum(shares)
    p = math.fsum(share * arm.estimate for share, arm in zip(shares, rates, strict=True)) / whole
    seen = sum(arm.units for arm in rates)
    p = (p * seen + 1) / (seen + 2)
    return p * (1 - p) * whole
