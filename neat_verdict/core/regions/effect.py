"""What a change of spending did: differences-in-differences within pairs, and what the difference of money brought.

A region's growth is its outcome in the test by that in the base, the days before. Growth, not amounts, is what two regions of
unequal size have in common through a season; the treated region's growth beyond its partner's, times its base, is the effect.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy import special

from neat_verdict.core.checks import InputError, check_count
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.regions.drawing import DrawnPair, check_pairs
from neat_verdict.core.regions.panel import WEEK, Panel
from neat_verdict.core.regions.signflips import FlipTest, flip_test, ratios_of
from neat_verdict.core.statistics import Interval, fieller_interval

TRIMMED = 0.1  # of the pairs at each end, in the check by trimmed pairs


@dataclass(frozen=True, slots=True)
class Windows:
    """Places of days: the base, [base, start), and the test, [start, end), which has its cool-down days in it."""

    base: int
    start: int
    end: int

    def __post_init__(self) -> None:
        if not 0 <= self.base < self.start < self.end:
            raise InputError(
                "days", f"{self.base}, {self.start}, {self.end}", "must be in this order: base, start, end"
            )


def past_windows(days: int, test_days: int, base_days: int) -> list[Windows]:
    """All windows of whole weeks that the history has, one a week."""
    check_count("test_days", test_days, 1)
    check_count("base_days", base_days, 1)
    starts = range(days - test_days, base_days - 1, -WEEK)
    return [Windows(start - base_days, start, start + test_days) for start in starts][::-1]


@dataclass(frozen=True)
class PairEffects:
    """By pair: growth of the ``treated`` region and of its ``control``, each times the mean of their bases, in the outcome's
    units; ``spend`` is the difference of spend on the same scale. ``observed`` is the outcome of the treated region."""

    pairs: tuple[DrawnPair, ...]
    treated: FloatArray
    control: FloatArray
    spend: FloatArray
    observed: FloatArray

    @property
    def differences(self) -> FloatArray:
        return np.asarray(self.treated - self.control)


@dataclass(frozen=True)
class RegionEffect:
    """The effect of the change in all treated regions together.

    ``lift`` is relative to what would have been without it (negative where it cost something), ``total`` the same in the
    outcome's units. ``spend`` is the difference of spend it made at the same scale, negative where less was spent, and
    ``incremental`` the return of a unit of it, total/spend; None where as much was spent.
    """

    lift: FlipTest
    total: Interval
    spend: float
    incremental: Interval | None
    trimmed: float | None
    by_pair: PairEffects


def growths(values: FloatArray, windows: Windows) -> tuple[FloatArray, FloatArray]:
    """Bases (sums as long as the test) and growths by region. Raises InputError where a base is 0."""
    length, before = windows.end - windows.start, windows.start - windows.base
    base = values[:, windows.base : windows.start].sum(axis=1) * length / before
    if not (base > 0).all():
        raise InputError("base", 0, "must be above 0 in every region of the pairs")
    return base, values[:, windows.start : windows.end].sum(axis=1) / base


def pair_effects(panel: Panel, outcome: str, pairs: Sequence[DrawnPair], windows: Windows) -> PairEffects:
    """Differences in growth within the pairs, times the mean of the two bases: turned round if the draw had been.

    Raises InputError for a region or an outcome it does not know, fewer than six pairs, days beyond the panel, or a base of 0.
    """
    check_pairs(len(pairs))
    if windows.end > panel.days:
        raise InputError("days", windows.end, f"must lie within the {panel.days} there are")
    values, spent = panel.outcome(outcome), panel.spend
    treated, control = panel.rows([one.treated for one in pairs]), panel.rows([one.control for one in pairs])
    rows = treated + control
    base, growth = growths(values[rows], windows)
    length, before = windows.end - windows.start, windows.start - windows.base
    # Spend beyond what it was before, on the scale of the outcome's base: what the money went to in that region.
    money = spent[rows, windows.start : windows.end].sum(axis=1)
    usual = spent[rows, windows.base : windows.start].sum(axis=1) * length / before
    more = (money - usual) / base
    count = len(pairs)
    middle = (base[:count] + base[count:]) / 2
    return PairEffects(
        tuple(pairs),
        growth[:count] * middle,
        growth[count:] * middle,
        (more[:count] - more[count:]) * middle,
        values[treated, windows.start : windows.end].sum(axis=1),
    )


def pair_lifts(
    panel: Panel, outcome: str, pairs: Sequence[DrawnPair], windows: Windows
) -> tuple[FloatArray, FloatArray]:
    """By pair, the treated region's growth over its partner's less 1, and how far the two went apart in past windows of the
    same length without a test (one standard deviation, of logarithms; NaN with fewer than two). Raises as `pair_effects`."""
    made = pair_effects(panel, outcome, pairs, windows)
    values = panel.outcome(outcome)
    rows = [panel.rows([getattr(pair, side) for pair in pairs]) for side in ("treated", "control")]
    before = []
    for window in past_windows(windows.start, windows.end - windows.start, windows.start - windows.base):
        sums = [
            values[side, part].sum(axis=1)
            for side in rows
            for part in (slice(window.start, window.end), slice(window.base, window.start))
        ]
        with np.errstate(divide="ignore", invalid="ignore"):
            before.append(np.log(sums[0] / sums[1]) - np.log(sums[2] / sums[3]))
    apart = np.array(before).reshape(len(before), len(pairs))
    apart = np.where(np.isfinite(apart), apart, np.nan)
    known = np.isfinite(apart).sum(axis=0)
    squares = np.nansum(np.square(apart), axis=0)
    spreads = np.sqrt(np.divide(squares, known, out=np.full(len(pairs), np.nan), where=known > 1))
    return ratios_of(made.treated, made.control) - 1, spreads


def read_effect(
    panel: Panel, outcome: str, pairs: Sequence[DrawnPair], windows: Windows, confidence: float
) -> RegionEffect:
    """Read the effect of the change.

    The interval of the lift inverts the sign-flip test (`flip_test`), that of the incremental return is Fieller's, with Student's
    t over the pairs. Raises InputError as `pair_effects` and `flip_test`.

    References
    ----------
    Vaver & Koehler (2011), Measuring Ad Effectiveness Using Geo Experiments; Kerman, Wang & Vaver (2017); Fieller (1954); Chen &
    Au (2022), Ann. Appl. Stat. 16, 1-20 (trimmed pairs).
    """
    made = pair_effects(panel, outcome, pairs, windows)
    lift = flip_test(made.treated, made.control, confidence)
    seen = float(made.observed.sum())

    def total(value: float) -> float:
        """What was observed less what would have been: observed/(1 + lift)."""
        return seen - seen / (1 + value) if value > -1 else -math.inf

    interval = lift.interval
    return RegionEffect(
        lift,
        Interval(total(interval.estimate), total(interval.low), total(interval.high)),
        float(made.spend.sum()) * seen / float(made.treated.sum()),
        incremental_return(made, confidence),
        trimmed_return(made),
        made,
    )


def incremental_return(made: PairEffects, confidence: float) -> Interval | None:
    """Outcome per unit of spend: the ratio of the two sums over pairs, with Fieller's interval, without limit where the spend
    difference is not clear of 0. None where nothing was spent less or more."""
    count = len(made.differences)
    effect, spend = float(made.differences.sum()), float(made.spend.sum())
    if spend == 0 or not made.spend.any():
        return None
    covariance = count * np.cov(made.differences, made.spend, ddof=1)
    sign = math.copysign(1.0, spend)
    t = float(special.stdtrit(count - 1, (1 + confidence) / 2))
    low, high = fieller_interval(
        sign * effect, covariance[0, 0], sign * spend, covariance[1, 1], t, covariance=float(covariance[0, 1])
    )
    return Interval(effect / spend, float(low), float(high))


def trimmed_return(made: PairEffects, share: float = TRIMMED) -> float | None:
    """The return at which what is left of the pairs, d - return x spend, has a trimmed mean of 0: a pair with a shock has no say.

    A check only. None where there is no such return, or nothing was spent less or more.
    """
    count = len(made.differences)
    cut = check_count("trimmed", math.floor(share * count))
    if cut == 0 or not made.spend.any():
        return None

    def trimmed_mean(rate: float) -> float:
        return float(np.sort(made.differences - rate * made.spend)[cut : count - cut].mean())

    ratios = np.sort((made.differences / np.where(made.spend == 0, np.nan, made.spend))[made.spend != 0])
    low, high = float(ratios[0]), float(ratios[-1])
    at_low, at_high = trimmed_mean(low), trimmed_mean(high)
    if at_low * at_high > 0:
        return None
    for _ in range(200):  # bisection: the trimmed mean has corners
        middle = (low + high) / 2
        if trimmed_mean(middle) * at_low > 0:
            low = middle
        else:
            high = middle
    return (low + high) / 2
