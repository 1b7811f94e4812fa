"""Stretches of time with the same shares, by which every reading is stratified.

Shares that change while levels drift mix the times differently in the arms, so that the pooled levels compare times as much as
variants. Within a period the shares stand still, and its comparison is fair. A design with one period compares the arms as they
are; the functions below are the one place where several are combined.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import reduce
from operator import add
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import optimize, special

from neat_verdict.core.checks import InputError, check_positive, check_share
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.propensity import Cell, OverDays, levels_over_days
from neat_verdict.core.statistics import (
    Arm,
    Comparison,
    Effect,
    Homogeneity,
    Interval,
    Skewness,
    comparable,
    compare_arms,
    fieller_interval,
    fieller_statistic,
    homogeneity,
    pool,
    pooled_skewness,
    skewness_of,
    unevenness,
    with_skewness,
    without_skewness,
)

# Units of each arm below which a segment is no stratum of its own.
MIN_STRATUM = 50
# About one conversion expected in the smaller arm. The transformation turns round where there is more; an exact p stands there.
MAX_NULL_SKEWNESS = 1.0
Accumulate = Callable[[FloatArray], FloatArray]


@dataclass(frozen=True, slots=True)
class Period:
    """Units first exposed while shares stood still, or a segment of them: their arms, control first.

    ``shares`` are those they were assigned by, ``number`` the period's within its ``round``; ``day`` places it in time, a whole
    number that only sorts; ``segment`` is "" where everybody had the same shares. ``fixed`` says that a person set the shares,
    beforehand or on the way, and not what was seen (`stretches`); then ``awaited`` are the positions of variants that join later.
    ``followed`` are, of units that were assigned evenly whatever was seen, the shares that the others of their segment had.
    """

    arms: tuple[Arm, ...]
    shares: tuple[float, ...]
    day: int = 0
    segment: str = ""
    number: int = 1
    round: int = 1
    fixed: bool = False
    awaited: tuple[int, ...] = ()
    followed: tuple[float, ...] | None = None

    def __post_init__(self) -> None:
        for share in self.shares:
            check_share("shares", share)

    def pair(self, variant: int, reference: int) -> Pair:
        """Two of the arms, by position, to be compared."""
        units = sum(arm.units for arm in self.arms)
        return Pair(self.arms[variant], self.arms[reference], self.segment, units, self.day)


_SMALLEST_STATISTIC, _LARGEST_STATISTIC = 1e-9, 20.0  # beyond it a p is under 1e-88


@dataclass(frozen=True, slots=True)
class Pair:
    """A variant and a reference of one period, and of one segment of ``units`` in all arms where segments have shares of their
    own.

    ``chances``, those of a unit to see either, are given where the pair is compared by them (`propensity`); ``day`` places it in
    time then.
    """

    variant: Arm
    reference: Arm
    segment: str = ""
    units: float = 0.0
    day: int = 0
    chances: tuple[float, float] | None = None

    def __post_init__(self) -> None:
        if type(self.variant) is not type(self.reference):
            kinds = type(self.variant).__name__, type(self.reference).__name__
            raise InputError("pairs", kinds[0], f"must be compared with its like, not a {kinds[1]}")

    @property
    def usable(self) -> bool:
        """True where both arms have enough to be compared; by the chances they had any unit at all is enough."""
        if self.chances is not None:
            return self.size > 0
        return comparable([self.variant, self.reference])

    @property
    def size(self) -> float:
        """The units of the period in all arms; those of these two where it is not known."""
        return self.units or self.variant.units + self.reference.units

    @property
    def weight(self) -> float:
        """√(N·n₁n₀/(n₁ + n₀)), N the period's `size`: what the period adds to the variance of the weighted sum of differences
        is N then, whatever the shares were."""
        n1, n0 = self.variant.units, self.reference.units
        return math.sqrt(self.size * n1 * n0 / (n1 + n0))


@dataclass(frozen=True, slots=True)
class Stratified:
    """Levels of both arms over the same mix of periods, with their standard errors, difference and lift, the statistic and its
    two-sided p.

    ``periods`` are those in which both arms had enough to be compared; ``information`` the units of the comparison: one of two
    arms of n units each has n/2; ``skewness`` is what was taken out of the statistic.
    """

    variant_level: float
    reference_level: float
    variant_error: float
    reference_error: float
    difference: Interval
    lift: Interval
    statistic: float
    pvalue: float
    periods: int
    information: float
    skewness: Skewness | None = None


def total_of(arms: Sequence[Arm]) -> Arm:
    """Arms of one kind added up."""
    return reduce(add, arms)


def added_up(periods: Sequence[Period]) -> Period:
    """Periods as one, placed where the last of them is."""
    if len(periods) == 1:
        return periods[0]
    arms = tuple(map(total_of, zip(*(one.arms for one in periods), strict=True)))
    return replace(periods[0], arms=arms, day=periods[-1].day)


def post_strata(periods: Sequence[Period]) -> list[Period]:
    """Periods with the same shares throughout, put together by segment.

    Segments in which an arm has fewer than `MIN_STRATUM` units are put together too, and where these are still too few with the
    smallest of the others: what a stratum spares is lost again where it has too few to know its rate. Combined by their parts of
    all units (`compare_stratified`) they give the post-stratified estimate of Miratrix, Sekhon & Yu (2013), J. R. Stat. Soc. B
    75, 369-396, whose variance is that within the strata.
    """
    groups: dict[str, list[Period]] = {}
    for period in periods:
        groups.setdefault(period.segment, []).append(period)
    made = {
        name: tuple(map(total_of, zip(*(one.arms for one in group), strict=True))) for name, group in groups.items()
    }
    large = {name: arms for name, arms in made.items() if min(arm.units for arm in arms) >= MIN_STRATUM}
    rest = [arms for name, arms in made.items() if name not in large]
    if rest and large and min(sum(arm.units for arm in side) for side in zip(*rest, strict=True)) < MIN_STRATUM:
        smallest = min(large, key=lambda name: sum(arm.units for arm in large[name]))
        rest.append(large.pop(smallest))
    if rest:
        large["(all others)"] = tuple(map(total_of, zip(*rest, strict=True)))
    first = periods[0]
    return [
        Period(arms, first.shares, segment=name, number=first.number, round=first.round, fixed=first.fixed)
        for name, arms in large.items()
    ]


def rounds_together(periods: Sequence[Period]) -> list[Period]:
    """Periods with the same shares throughout, put together by round, in the order of the rounds.

    Compared within each and combined (`compare_stratified`) the rounds weigh n₁n₀/(n₁ + n₀), since the shares are the same: of
    rates the ratio of the levels is the estimate of Mantel & Haenszel (1959), J. Natl. Cancer Inst. 22, 719-748.
    """
    groups: dict[int, list[Period]] = {}
    for period in periods:
        groups.setdefault(period.round, []).append(period)
    return [added_up(group) for _, group in sorted(groups.items())]


def compare_pairs(
    pairs: Sequence[Pair], critical_value: float, adjusted_pvalue: float | None = None
) -> Comparison | None:
    """Compare a variant with a reference: by their test in a single period, stratified in several.

    None where no period can be compared. Raises InputError as `compare_stratified`.
    """
    if len(pairs) == 1:
        (pair,) = pairs
        if not usable_of(pairs):
            return None
        return compare_arms(pair.variant, pair.reference, critical_value, adjusted_pvalue)
    made = compare_stratified(pairs, critical_value)
    if made is None:
        return None
    variant, reference = (total_of([getattr(pair, side) for pair in pairs]) for side in ("variant", "reference"))
    return Comparison(
        variant=variant,
        reference=reference,
        critical_value=critical_value,
        difference=made.difference,
        lift=made.lift,
        statistic=made.statistic,
        pvalue=made.pvalue,
        adjusted_pvalue=made.pvalue if adjusted_pvalue is None else adjusted_pvalue,
        exact_pvalue=None,
        smallest_expected_count=variant.smallest_expected_count(reference),
        skewness=made.skewness,
    )


def statistic_at(pairs: Sequence[Pair], lift: float) -> float:
    """Standardised statistic of "the relative lift is this one", positive where more is seen: the critical value at which a bound
    of the lift's interval touches it, so that test and interval never disagree.

    ``lift`` lies above -1. 0 where nothing is known, at most 20 either way. Raises InputError for another lift.
    """
    check_positive("lift", 1 + lift)
    seen = compare_pairs(pairs, 1.0)
    if seen is None:
        return 0.0
    if len(pairs) == 1 and seen.variant.converts:  # the score test, which the interval of two rates inverts
        z = type(seen.variant).ratio_statistics([(seen.variant, seen.reference)], np.array([[1 + lift]]))
        return float(np.clip(z[0, 0], -_LARGEST_STATISTIC, _LARGEST_STATISTIC))
    if not math.isfinite(seen.lift.estimate) or seen.lift.estimate == lift:
        return 0.0
    above = seen.lift.estimate > lift

    def room(c: float) -> float:
        made = compare_pairs(pairs, c)
        assert made is not None
        gap = made.lift.low - lift if above else lift - made.lift.high
        return max(gap, -1.0)  # a bound without limit has no root

    if room(_LARGEST_STATISTIC) > 0:
        size = _LARGEST_STATISTIC
    elif room(_SMALLEST_STATISTIC) < 0:
        size = 0.0
    else:
        size = float(optimize.brentq(room, _SMALLEST_STATISTIC, _LARGEST_STATISTIC, xtol=1e-10))
    return size if above else -size


def compare_stratified(pairs: Sequence[Pair], critical_value: float) -> Stratified | None:
    """Compare a variant with a reference period by period.

    Parameters
    ----------
    pairs : sequence of Pair
        One a period, or one a period and segment; those with too little to compare are left out.
    critical_value : float
        Two-sided normal critical value, above 0.

    Returns
    -------
    Stratified or None
        None where no period can be compared. Each period weighs as `Pair.weight` has it, so that its part of the variance follows
        from how many came, not from the shares, which follow from earlier outcomes: the standardised sum is about normal then,
        at any share, where weights n₁n₀/(n₁ + n₀) leave a mixture of normals. With the same shares throughout both are the same.
        Pairs with `Pair.chances` are compared by these (`propensity.levels_over_days`).
        Segments with shares of their own are each compared so, and combined by
        their units in all arms (direct standardisation): otherwise those would weigh most in which the variant was shown most,
        which is where it looked best. The lift is Fieller's, unbounded where the reference is not clear of zero.

    Raises
    ------
    InputError
        For a critical value that is not above 0.

    References
    ----------
    Zhang, Janson & Murphy (2020), Adv. Neural Inf. Process. Syst. 33, and Hadad, Hirshberg, Zhan, Wager & Athey (2021), Proc.
    Natl. Acad. Sci. 118, e2014602118, for weights that keep the variance; Fieller (1954), J. R. Stat. Soc. B 16, 175-185; direct
    standardisation: Fleiss, Levin & Paik (2003), chapter 19.
    """
    check_positive("critical_value", critical_value)
    usable = usable_of(pairs)
    if not usable:
        return None
    over = _over_days(usable) if _by_chance(usable) else None  # once for all that is made of it
    (m1, v1), (m0, v0) = stratified_levels(usable) if over is None else _last_levels(over)
    both = stratified_covariance(usable)
    error = math.sqrt(max(v1 + v0 - 2 * both, 0.0))
    skewness = skewness_of_pairs(usable)
    a = skewness.of_difference if skewness else 0.0
    statistic = float(without_skewness((m1 - m0) / error, a)) if error else 0.0
    below, above = float(with_skewness(critical_value, a)), -float(with_skewness(-critical_value, a))
    low, high = fieller_interval(m1, v1, m0, v0, below, above, both)
    # As in one period: equal values say nothing of the variance, however far apart the arms are.
    reach = (below * error, above * error) if error else (math.inf, math.inf)
    lift = (float(low) - 1, float(high) - 1) if error else (-math.inf, math.inf)
    return Stratified(
        variant_level=m1,
        reference_level=m0,
        variant_error=math.sqrt(v1),
        reference_error=math.sqrt(v0),
        difference=Interval(m1 - m0, m1 - m0 - reach[0], m1 - m0 + reach[1]),
        lift=Interval(m1 / m0 - 1 if m0 > 0 else math.nan, *lift),
        statistic=statistic,
        pvalue=float(2 * special.ndtr(-abs(statistic))),
        periods=len(usable),
        information=information_of(usable) if over is None else float(over.information[-1]),
        skewness=skewness,
    )


def usable_of(pairs: Sequence[Pair]) -> list[Pair]:
    """Those that can be compared; none where an arm that is compared by its chances has too little over all of them."""
    usable = [pair for pair in pairs if pair.usable]
    if not _by_chance(usable) or any(comparable([one.variant, one.reference]) for one in usable):
        return usable
    together = [total_of([getattr(one, side) for one in usable]) for side in ("variant", "reference")]
    return usable if comparable(together) else []


def _by_chance(usable: Sequence[Pair]) -> bool:
    return bool(usable) and usable[0].chances is not None


def _over_days(usable: Sequence[Pair]) -> OverDays:
    return levels_over_days(
        [
            Cell(pair.day, pair.segment, pair.size, (pair.variant, pair.reference), pair.chances)
            for pair in usable
            if pair.chances is not None
        ]
    )


def _last_levels(over: OverDays) -> list[tuple[float, float]]:
    return list(zip(over.levels[-1].tolist(), over.variances[-1].tolist(), strict=True))


def information_of(pairs: Sequence[Pair]) -> float:
    """The units of a comparison: (Σw)²/ΣN of the periods that can be compared, which in one is n₁n₀/(n₁ + n₀); 0 without any.

    Of segments with shares of their own 1/Σ(π²·ΣN/(Σw)²), π their parts of all units: what the same variance would take in one.
    """
    usable = usable_of(pairs)
    if _by_chance(usable):
        return float(_over_days(usable).information[-1])
    parts = _segments(usable)
    if not parts:
        return 0.0
    return 1 / math.fsum(
        part**2 * math.fsum(pair.size for pair in group) / math.fsum(pair.weight for pair in group) ** 2
        for part, group in parts
    )


def skewness_of_pairs(pairs: Sequence[Pair]) -> Skewness | None:
    """Skewness of a comparison's statistic; None of rates, where third moments are not known, or with nothing to compare."""
    usable = usable_of(pairs)
    if not _by_chance(usable):
        return skewness_of(_weighted(usable)) if usable else None
    if not usable[0].variant.skewed:
        return None
    found = skewness_of([(1.0, total_of([one.variant for one in usable]), total_of([one.reference for one in usable]))])
    if found is None:
        return None
    return Skewness(found.of_values, found.of_values * float(_over_days(usable).unevenness[-1]))


def null_skewness_of(pairs: Sequence[Pair]) -> float:
    """Skewness of a comparison's statistic of rates if nothing differed, positive where its tail is the variant's; 0 for what has
    it taken out already (means, ratios), and where nothing or everything converted.

    It moves the two sides of a test against one another: together they keep their level, one of them alone does not.
    """
    usable = usable_of(pairs)
    if not usable or not usable[0].variant.converts:
        return 0.0
    units = math.fsum(pair.variant.units + pair.reference.units for pair in usable)
    p = math.fsum(pair.variant.total + pair.reference.total for pair in usable) / units
    if not 0 < p < 1:
        return 0.0
    if _by_chance(usable):
        uneven = float(_over_days(usable).unevenness[-1])
    else:
        uneven = unevenness((w, float(one.units), float(other.units)) for w, one, other in _weighted(usable))
    skewness = uneven * (1 - 2 * p) / math.sqrt(p * (1 - p))
    return min(max(skewness, -MAX_NULL_SKEWNESS), MAX_NULL_SKEWNESS)


def _weighted(usable: Sequence[Pair]) -> list[tuple[float, Arm, Arm]]:
    """(weight, variant, reference) of each period, as the difference adds them up."""
    result = []
    for part, group in _segments(usable):
        whole = math.fsum(pair.weight for pair in group)
        result += [(part * pair.weight / whole, pair.variant, pair.reference) for pair in group]
    return result


def _segments(usable: Sequence[Pair]) -> list[tuple[float, list[Pair]]]:
    """The pairs by segment, each with its part of all units."""
    groups: dict[str, list[Pair]] = {}
    for pair in usable:
        groups.setdefault(pair.segment, []).append(pair)
    if len(groups) == 1:
        return [(1.0, group) for group in groups.values()]
    total = math.fsum(pair.units for pair in usable)
    return [(math.fsum(pair.units for pair in group) / total, group) for group in groups.values()]


def log_ratio_of(pairs: Sequence[Pair]) -> Effect | None:
    """The log of variant over reference with its variance (delta method), stratified in several periods; None where a level is
    not above 0."""
    usable = usable_of(pairs)
    if len(pairs) == 1:
        return pairs[0].variant.log_ratio(pairs[0].reference)
    if not usable:
        return None
    (m1, v1), (m0, v0) = stratified_levels(usable)
    if not (m1 > 0 and m0 > 0 and v1 + v0 > 0):
        return None
    variance = v1 / m1**2 + v0 / m0**2 - 2 * stratified_covariance(usable) / (m1 * m0)
    return (math.log(m1 / m0), variance) if variance > 0 else None


def log_ratio_within(strata: Sequence[Sequence[Pair]]) -> Effect | None:
    """One log ratio over strata of periods, each stratum compared within itself; None where it cannot be computed.

    In one period by the arms' own way (Mantel-Haenszel for rates), else the strata's log ratios by inverse variance.
    """
    if all(len(pairs) == 1 for pairs in strata):
        usable: list[Any] = [(pair.variant, pair.reference) for (pair,) in strata if usable_of([pair])]
        return type(usable[0][0]).log_ratio_within(usable) if usable else None
    effects = [effect for effect in map(log_ratio_of, strata) if effect is not None]
    result = pool(effects) if effects else None
    return None if result is None else (result.effect, result.squared_error)


def is_informative(pairs: Sequence[Pair]) -> bool:
    """Whether a stratum of periods says anything of a ratio: it can be compared, and something was counted in either arm."""
    return any(pair.usable and (pair.variant.total or pair.reference.total) for pair in pairs)


def homogeneity_of(strata: Sequence[Sequence[Pair]]) -> Homogeneity:
    """Whether strata of periods have one lift in common.

    In one period by the arms' own statistics (score for rates), in several by Fieller's on the stratified levels. Raises
    InputError for no stratum, or one that says nothing of a ratio (`is_informative`).
    """
    if not all(map(is_informative, strata)):
        raise InputError("strata", len(strata), "must each have something counted in an arm")
    usable = list(map(usable_of, strata))
    levels = [stratified_levels(pairs) for pairs in usable]
    own = [_ratio(m1, m0) for (m1, _), (m0, _) in levels]
    if all(len(pairs) == 1 for pairs in strata):
        arms: list[Any] = [(pair.variant, pair.reference) for (pair,) in usable]
        return homogeneity(lambda ratios: type(arms[0][0]).ratio_statistics(arms, ratios), own)
    (m1, v1), (m0, v0) = np.array(levels, dtype=np.float64).transpose(1, 2, 0)[..., None]
    return homogeneity(lambda ratios: fieller_statistic(m1, v1, m0, v0, ratios), own)


def _ratio(level: float, other: float) -> float:
    """The ratio above 0 that two levels fit best."""
    if other == 0:
        return math.inf if level > 0 else 0.0
    return max(level / other, 0.0) if other > 0 or level < 0 else math.inf


def _sum(values: FloatArray) -> FloatArray:
    return np.asarray(math.fsum(values))


def stratified_levels(usable: Sequence[Pair]) -> list[tuple[float, float]]:
    """Level and variance of the variant, then of the reference, over periods that can all be compared (`usable_of`)."""
    if _by_chance(usable):
        return _last_levels(_over_days(usable))
    result = [[0.0, 0.0], [0.0, 0.0]]
    for part, group in _segments(usable):
        for side, (level, variance) in enumerate(_stratum_levels(group, _sum)):
            result[side][0] += part * float(level)
            result[side][1] += part**2 * float(variance)
    return [(level, variance) for level, variance in result]


def stratified_covariance(usable: Sequence[Pair]) -> float:
    """Covariance of the two levels of `stratified_levels`; 0 by chances, given the mix that came."""
    if _by_chance(usable):
        return 0.0
    return math.fsum(part**2 * float(_stratum_covariance(group, _sum)) for part, group in _segments(usable))


def _stratum_covariance(group: Sequence[Pair], accumulate: Accumulate) -> FloatArray:
    weights = np.array([pair.weight for pair in group])
    arms: list[Any] = [(pair.variant, pair.reference) for pair in group]
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.asarray(type(arms[0][0]).stratified_covariance(weights, arms, accumulate) / accumulate(weights) ** 2)


def _stratum_levels(group: Sequence[Pair], accumulate: Accumulate) -> list[tuple[FloatArray, FloatArray]]:
    """Weighted levels with their variances, of variant and reference, in the groups that ``accumulate`` adds up."""
    weights = np.array([pair.weight for pair in group])
    total = accumulate(weights)
    result = []
    for arms in ([pair.variant for pair in group], [pair.reference for pair in group]):
        levels = np.array([arm.estimate for arm in arms])
        with np.errstate(divide="ignore", invalid="ignore"):
            level = accumulate(weights * levels) / total
            variance = type(arms[0]).stratified_variance(weights, arms, accumulate) / total**2
        result.append((level, variance))
    return result


def running_lift(
    pairs: Sequence[Pair], days: Sequence[int], critical_value: float
) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Lift, low and high with all pairs up to each day of ``days`` (sorted as the pairs are, one day a pair).

    One value for each distinct day, in order; nan before anything can be compared. The lifts of `compare_stratified`, cumulated.
    """
    distinct = sorted(set(days))
    if pairs and pairs[0].chances is not None:
        return _running_by_chance(pairs, distinct, critical_value)
    place = {day: index for index, day in enumerate(distinct)}
    groups: dict[str, list[tuple[Pair, int]]] = {}
    for pair, day in zip(pairs, days, strict=True):
        if pair.usable:
            groups.setdefault(pair.segment, []).append((pair, place[day]))
    count = len(distinct)
    units = np.zeros(count)
    level, variance = np.zeros((2, count)), np.zeros((2, count))
    third, second, shape, both = np.zeros(count), np.zeros(count), np.zeros((3, count)), np.zeros(count)
    for group in groups.values():
        at = np.array([index for _, index in group], dtype=np.int64)

        def up_to(values: FloatArray, at: NDArray[np.int64] = at) -> FloatArray:
            return np.cumsum(np.bincount(at, values, minlength=count))

        mine = [pair for pair, _ in group]
        part = up_to(np.array([pair.units or 1.0 for pair in mine]))
        units += part
        for side, (m, v) in enumerate(_stratum_levels(mine, up_to)):
            level[side] += np.nan_to_num(part * m)
            variance[side] += np.nan_to_num(part**2 * v)
        both += np.nan_to_num(part**2 * _stratum_covariance(mine, up_to))
        weights, one, other = (
            np.array(column)
            for column in zip(*((p.weight, p.variant.units, p.reference.units) for p in mine), strict=True)
        )
        with np.errstate(divide="ignore", invalid="ignore"):
            share = part / up_to(weights)
            third += np.nan_to_num(share**3 * up_to(weights**3 * (1 / one**2 - 1 / other**2)))
            second += np.nan_to_num(share**2 * up_to(weights**2 * (1 / one + 1 / other)))
        known = [
            (arm.units, *(arm.deviations or (math.nan, math.nan))) for p in mine for arm in (p.variant, p.reference)
        ]
        for row, values in enumerate(np.array(known).reshape(len(mine), 2, 3).sum(axis=1).T):
            shape[row] += up_to(values)
    with np.errstate(divide="ignore", invalid="ignore"):
        m1, m0 = level / units
        v1, v0 = variance / units**2
        both = both / units**2
        a = np.nan_to_num(pooled_skewness(*shape) * third / second**1.5)
        below, above = with_skewness(critical_value, a), -with_skewness(-critical_value, a)
        low, high = fieller_interval(m1, v1, m0, v0, below, above, both)
        lift = m1 / m0 - 1
    known = (units > 0) & (m0 > 0) & (v1 + v0 > 2 * both)
    result = [np.where(known, part, np.nan) for part in (lift, low - 1, high - 1)]
    return result[0], result[1], result[2]


def _running_by_chance(
    pairs: Sequence[Pair], days: Sequence[int], critical_value: float
) -> tuple[FloatArray, FloatArray, FloatArray]:
    result = np.full((3, len(days)), np.nan)
    usable = [pair for pair in pairs if pair.usable]
    if not usable:
        return result[0], result[1], result[2]
    over = _over_days(usable)
    at = [days.index(day) for day in over.days]
    shapes = []
    for side in ("variant", "reference"):
        by_day: dict[int, list[Arm]] = {}
        for pair in usable:
            by_day.setdefault(pair.day, []).append(getattr(pair, side))
        arms = itertools.accumulate(total_of(by_day[day]) for day in over.days)
        shapes.append(
            np.array([(arm.units, *(arm.deviations or (math.nan, math.nan))) for arm in arms], dtype=np.float64)
        )
    with np.errstate(divide="ignore", invalid="ignore"):
        a = np.nan_to_num(pooled_skewness(*(shapes[0] + shapes[1]).T) * over.unevenness)
        below, above = with_skewness(critical_value, a), -with_skewness(-critical_value, a)
        (m1, m0), (v1, v0) = over.levels.T, over.variances.T
        low, high = fieller_interval(m1, v1, m0, v0, below, above)
        known = (shapes[0][:, 0] > 0) & (shapes[1][:, 0] > 0) & (m0 > 0) & (v1 + v0 > 0)
        result[:, at] = np.where(known, np.stack([m1 / m0 - 1, low - 1, high - 1]), np.nan)
    return result[0], result[1], result[2]
