"""What following the evidence would cost and gain on an experiment's own figures, against an even split, by simulation."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from neat_verdict.core.checks import InputError, check_count, check_not_negative, check_positive
from neat_verdict.core.designs.adaptive.policy import Policy, paced_shares
from neat_verdict.core.designs.adaptive.posteriors import chance_within
from neat_verdict.core.methods import Reached
from neat_verdict.core.numeric import BoolArray, FloatArray
from neat_verdict.core.rehearsal.world import World
from neat_verdict.core.rule import DecisionRule
from neat_verdict.core.statistics import Interval, always_valid_critical_value, many_normal_best_chances
from neat_verdict.core.statistics.exact import smallest_expected_counts

MAX_RUNS = 2_000
MAX_EPOCHS = 120
_Z = 1.959963984540054


@dataclass(frozen=True, slots=True)
class Way:
    """What came of the runs of one way of sharing out.

    Attributes
    ----------
    total : float
        Mean conversions (or sum) of a run that lasts as planned.
    right, false, open : int
        Runs that called the truly best variant, that called one that is truly no better than control, and that called none;
        the others called one that is better than control, yet not the best.
    picked : int
        Runs whose leader at the planned end is truly the best; all of them where nothing differs.
    median_days : float or None
        Until a variant is called; None where fewer than half the runs call one.
    pooled_bias, stratified_bias : Interval
        Mean estimated lift of the first variant less the truth, pooled over epochs and by epoch, ± 95 % by simulation.
    shares : epochs x arms
        Mean shares.
    """

    total: float
    right: int
    false: int
    open: int
    picked: int
    median_days: float | None
    pooled_bias: Interval
    stratified_bias: Interval
    shares: FloatArray


@dataclass(frozen=True, slots=True)
class AllocationRehearsal:
    """Both ways in the same world; ``gained`` is what the adaptive way brings more on average, ± 95 % by simulation."""

    lifts: tuple[float, ...]
    drift: float
    runs: int
    seed: int
    days: int
    epoch_days: float
    even: Way
    adaptive: Way
    gained: Interval


def rehearse_allocation(
    world: World,
    rule: DecisionRule,
    policy: Policy,
    lifts: Sequence[float],
    *,
    epoch_days: float = 1.0,
    lag_days: float = 0.0,
    drift: float = 0.0,
    runs: int = 200,
    seed: int = 1,
    on_progress: Callable[[int], None] | None = None,
) -> AllocationRehearsal:
    """Run a plan both ways.

    Parameters
    ----------
    world : World
        Its split is not used: one way is even, the other follows the evidence.
    rule : DecisionRule
        Read after each epoch from the least days on, or after those in which a planned look falls due.
    policy : Policy
    lifts : sequence of float
        True relative lifts of the variants beside control, above -1.
    epoch_days : float
        Length of an epoch, above 0; where a run had more than 120, they are taken longer.
    lag_days : float
        The counting window: so long after an epoch its units count, 0 or more.
    drift : float
        Relative change of all levels from the first day to the last, above -1.
    runs : int
        1 to 2,000.
    seed : int
        The same seed gives the same answer.
    on_progress : callable, optional
        Hears the number of epochs done of all, out of twice their number; what it raises ends the rehearsal.

    Raises
    ------
    InputError
        For numbers out of their range.
    """
    if len(lifts) != len(world.arms.shares) - 1:
        raise InputError(
            "lifts", len(lifts), f"must be one for each of {len(world.arms.shares) - 1} variants beside control"
        )
    for place, lift in enumerate(lifts):
        if not (math.isfinite(lift) and lift > -1):
            raise InputError(f"lifts.{place}", lift, "must be above -100%")
    check_count("seed", seed)
    if not 1 <= runs <= MAX_RUNS:
        raise InputError("runs", runs, f"must be 1 to {MAX_RUNS:,}")
    if not (math.isfinite(drift) and drift > -1):
        raise InputError("drift", drift, "must be above -100%")
    check_not_negative("lag_days", lag_days)
    length = max(check_positive("epoch_days", epoch_days), world.days / MAX_EPOCHS)
    course = _Course.of(world, lifts, drift, length, lag_days)
    ways = []
    for number, adaptive in enumerate((False, True)):
        random = np.random.default_rng([seed, number])

        def heard(done: int, before: int = number * course.epochs) -> None:
            if on_progress is not None:
                on_progress(before + done)

        ways.append(_run(course, rule, policy if adaptive else None, runs, random, heard))
    even, adaptive_way = ways
    return AllocationRehearsal(
        lifts=tuple(lifts),
        drift=drift,
        runs=runs,
        seed=seed,
        days=world.days,
        epoch_days=length,
        even=_way(even, course, rule),
        adaptive=_way(adaptive_way, course, rule),
        gained=_mean(adaptive_way.expected - even.expected.mean()),
    )


@dataclass(frozen=True, slots=True)
class _Course:
    """Of each epoch: units in all, true levels by arm, the day it ends on, how many epochs are mature when it ends."""

    units: NDArray[np.int64]
    levels: FloatArray
    ends: FloatArray
    mature: NDArray[np.int64]
    lifts: FloatArray
    standard_deviation: float | None

    @property
    def epochs(self) -> int:
        return len(self.units)

    @staticmethod
    def of(world: World, lifts: Sequence[float], drift: float, length: float, lag: float) -> _Course:
        count = max(1, math.ceil(world.days / length - 1e-9))
        ends = np.minimum(np.arange(1, count + 1) * length, world.days)
        by_day = world.units().sum(axis=1)
        running = np.floor(np.interp([0, *ends], np.arange(world.days + 1), [0, *by_day.cumsum()]))
        all_lifts = np.array([0.0, *lifts])
        levels = world.levels(all_lifts)
        day = np.minimum(np.floor(ends - 1e-9).astype(np.int64), world.days - 1)
        slope = 1 + drift * day / max(world.days - 1, 1)
        drifted = levels[day] * slope[:, None]
        if world.baseline.is_rate:
            drifted = np.clip(drifted, 0, 1)
        mature = np.array([int((ends[: place + 1] + lag <= ends[place] + 1e-9).sum()) for place in range(count)])
        return _Course(
            np.diff(running).astype(np.int64), drifted, ends, mature, all_lifts, world.baseline.standard_deviation
        )


@dataclass(frozen=True, slots=True)
class _Ran:
    """Of each run: expected total, day a variant was called and which (0 for none), and both estimates of all lifts."""

    expected: FloatArray
    called_on: FloatArray
    called: NDArray[np.int64]
    pooled: FloatArray
    stratified: FloatArray
    shares: FloatArray


def _run(
    course: _Course,
    rule: DecisionRule,
    policy: Policy | None,
    runs: int,
    random: np.random.Generator,
    heard: Callable[[int], None],
) -> _Ran:
    arms = course.levels.shape[1]
    shares = np.full((runs, arms), 1 / arms)
    units, totals = (np.zeros((course.epochs, runs, arms)) for _ in range(2))
    sums = _Sums(runs, arms, course.standard_deviation)
    called, called_on = np.zeros(runs, dtype=np.int64), np.full(runs, np.nan)
    expected, given = np.zeros(runs), np.zeros((course.epochs, arms))
    looks = _look_epochs(course, rule)
    for place in range(course.epochs):
        given[place] = shares.mean(axis=0)
        n = random.multinomial(course.units[place], shares).astype(np.float64)
        if course.standard_deviation is None:
            x = random.binomial(n.astype(np.int64), course.levels[place]).astype(np.float64)
        else:
            x = n * course.levels[place] + random.standard_normal(n.shape) * course.standard_deviation * np.sqrt(n)
        units[place], totals[place] = n, x
        expected += (n * course.levels[place]).sum(axis=1)
        sums.add(n, x)
        if course.ends[place] >= rule.minimum_days and (looks is None or place in looks):
            _call(
                called,
                called_on,
                sums,
                units[: place + 1],
                totals[: place + 1],
                course,
                rule,
                place,
                looks=None if looks is None else tuple(look for look in looks if look <= place),
                wait=policy is not None and rule.method.holds_at_any_time,
            )
        if policy is not None:
            shares = _next(
                shares,
                units[: course.mature[place]],
                totals[: course.mature[place]],
                policy,
                rule,
                course.standard_deviation,
                place + 1,
            )
        heard(place + 1)
    with np.errstate(divide="ignore", invalid="ignore"):
        level = totals.sum(axis=0) / units.sum(axis=0)
        return _Ran(expected, called_on, called, level / level[:, :1] - 1, sums.variant / sums.control - 1, given)


class _Sums:
    """What the comparisons with control hang on, by run and arm, as `periods.compare_stratified` weighs the epochs."""

    def __init__(self, runs: int, arms: int, standard_deviation: float | None) -> None:
        self.known_deviation = standard_deviation
        self.size, self.weight, self.variant, self.control = (np.zeros((runs, arms)) for _ in range(4))
        # Of either side: Σ w²/n, that times the level, and the units.
        self.sides = [[np.zeros((runs, arms)) for _ in range(3)] for _ in range(2)]

    def add(self, n: FloatArray, x: FloatArray) -> None:
        """Take an epoch in: units and totals, runs x arms."""
        with np.errstate(divide="ignore", invalid="ignore"):
            level = x / n
            w = np.sqrt(n.sum(axis=1, keepdims=True) * n * n[:, :1] / (n + n[:, :1]))
        usable = (n > 0) & (n[:, :1] > 0)
        self.size += np.where(usable, n.sum(axis=1, keepdims=True), 0)
        self.weight += np.where(usable, w, 0)
        for total, own, units, side in (
            (self.variant, level, n, self.sides[0]),
            (self.control, np.broadcast_to(level[:, :1], n.shape), np.broadcast_to(n[:, :1], n.shape), self.sides[1]),
        ):
            total += np.where(usable, w * own, 0)
            with np.errstate(divide="ignore", invalid="ignore"):
                share = w**2 / units
            for kept, more in zip(side, (share, share * own, units), strict=True):
                kept += np.where(usable, more, 0)

    def statistic(self) -> FloatArray:
        """Standardised difference, variant less control; nan where nothing can be compared."""
        with np.errstate(divide="ignore", invalid="ignore"):
            variance = sum(self._variance_of(*side) for side in self.sides)
            return np.asarray((self.variant - self.control) / np.sqrt(variance))

    def _variance_of(self, share: FloatArray, leaning: FloatArray, units: FloatArray) -> FloatArray:
        if self.known_deviation is not None:
            return np.asarray(self.known_deviation**2 * share)
        p = (leaning / share * units + 1) / (units + 2)
        return np.asarray(p * (1 - p) * share)


def _call(
    called: NDArray[np.int64],
    called_on: FloatArray,
    sums: _Sums,
    units: FloatArray,
    totals: FloatArray,
    course: _Course,
    rule: DecisionRule,
    place: int,
    *,
    looks: tuple[int, ...] | None,
    wait: bool,
) -> None:
    """Call a winner in the runs that are open: clear of zero by the rule's method, and (``wait``) little left to be gained.

    ``looks`` are the epochs after which looks were taken, this one included; None where the rule reads at any time.
    """
    arms = sums.weight.shape[1]
    with np.errstate(divide="ignore", invalid="ignore"):
        gaps = (sums.variant - sums.control) / sums.weight
    z, gains = rule.sign * sums.statistic(), rule.sign * gaps
    c: FloatArray | float
    if looks is None:
        planned = 2.0 * arms if rule.planned_units is None else float(sum(rule.planned_units))
        c = always_valid_critical_value(
            sums.size / planned, rule.method.comparison_confidence(rule.confidence, arms - 1)
        )
    else:
        c = _look_critical_value(course, rule, looks, arms - 1)
    clear = (z > c)[:, 1:] & (called == 0)[:, None]
    enough: BoolArray = np.ones(len(called), dtype=bool)
    if course.standard_deviation is None:
        enough = smallest_expected_counts(totals.sum(axis=0), units.sum(axis=0)) >= rule.least_conversions
    result = np.flatnonzero(clear.any(axis=1) & enough)
    if wait and len(result):
        n, x = units[:, result].sum(axis=0), totals[:, result].sum(axis=0)
        # Levels by their distance from control within epochs, as `stratified_posteriors` has them.
        means = x[:, :1] / n[:, :1] + np.column_stack([np.zeros(len(result)), gaps[result, 1:]])
        errors = np.sqrt(_variance(x, n, course.standard_deviation))
        sure = chance_within(means, errors, rule.worthwhile_lift, sign=rule.sign) > rule.confidence
        result = result[sure]
    called[result] = 1 + np.where(clear[result], gains[result, 1:], -np.inf).argmax(axis=1)
    called_on[result] = course.ends[place]


def _look_epochs(course: _Course, rule: DecisionRule) -> tuple[int, ...] | None:
    """The epochs after which a planned look is taken: those in which its day ends. None for a rule that reads at any time."""
    if not rule.method.has_looks:
        return None
    days = rule.method.reading_days(rule.planned_days, rule.minimum_days)
    ends = np.searchsorted(course.ends, [min(day, course.ends[-1]) for day in days])
    return tuple(sorted({int(end) for end in ends}))


def _look_critical_value(course: _Course, rule: DecisionRule, looks: tuple[int, ...], comparisons: int) -> float:
    information = (course.units.cumsum() / course.units.sum())[list(looks)]
    reached = Reached(1.0, tuple(information.tolist()), last=looks[-1] == course.epochs - 1)
    return rule.method.pair_critical_value(rule.method.comparison_confidence(rule.confidence, comparisons), reached)


def _variance(x: FloatArray, n: FloatArray, standard_deviation: float | None) -> FloatArray:
    if standard_deviation is not None:
        return np.asarray(standard_deviation**2 / n)
    mean = (x + 1) / (n + 2)
    return np.asarray(mean * (1 - mean) / n)


def _next(
    shares: FloatArray,
    units: FloatArray,
    totals: FloatArray,
    policy: Policy,
    rule: DecisionRule,
    standard_deviation: float | None,
    epochs: int,
) -> FloatArray:
    """The shares of all runs for the next epoch, as `next_shares` sets them."""
    kept = policy.kept ** np.arange(len(units) - 1, -1, -1)[:, None, None]
    n, x, squared = (units * kept).sum(axis=0), (totals * kept).sum(axis=0), (units * kept**2).sum(axis=0)
    seen = units.sum(axis=0)
    known = n > 0
    if not known.any():
        return shares
    with np.errstate(divide="ignore", invalid="ignore"):
        means = (x + 1) / (n + 2) if standard_deviation is None else x / n
        errors = np.sqrt((means * (1 - means) if standard_deviation is None else standard_deviation**2) * squared) / n
    # An arm without units has a posterior as wide as `posteriors_of` gives it.
    middle = np.where(known, means, 0).sum(axis=1) / np.maximum(known.sum(axis=1), 1)
    wide = 3 * np.where(known, errors, 0).max(axis=1)
    means = np.where(known, means, middle[:, None])
    errors = np.where(known, errors, np.where(wide > 0, wide, 1)[:, None])
    following = paced_shares(many_normal_best_chances(means, errors, sign=rule.sign), shares, policy)[1]
    even = (seen.min(axis=1) < policy.even_units) | (epochs < policy.even_epochs)
    return np.where(even[:, None], 1 / shares.shape[1], following)


def _way(ran: _Ran, course: _Course, rule: DecisionRule) -> Way:
    true = rule.sign * course.lifts
    best = true.max()
    right = (ran.called > 0) & (true[ran.called] == best) & (best > 0)
    false = (ran.called > 0) & (true[ran.called] <= 0)
    leader = (rule.sign * np.where(np.isfinite(ran.stratified), ran.stratified, -np.inf)).argmax(axis=1)
    half = np.nanmedian(np.where(ran.called > 0, ran.called_on, np.inf))
    return Way(
        total=float(ran.expected.mean()),
        right=int(right.sum()),
        false=int(false.sum()),
        open=int((ran.called == 0).sum()),
        picked=int((true[leader] == best).sum()),
        median_days=float(half) if math.isfinite(half) else None,
        pooled_bias=_mean(ran.pooled[:, 1] - course.lifts[1]),
        stratified_bias=_mean(ran.stratified[:, 1] - course.lifts[1]),
        shares=ran.shares,
    )


def _mean(values: FloatArray) -> Interval:
    result = values[np.isfinite(values)]
    if not len(result):
        return Interval(math.nan, math.nan, math.nan)
    middle, reach = float(result.mean()), float(_Z * result.std() / math.sqrt(len(result)))
    return Interval(middle, middle - reach, middle + reach)
