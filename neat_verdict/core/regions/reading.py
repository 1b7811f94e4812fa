"""What a test by region shows with the days so far: by outcome and product group, day by day, and whether it ran as planned."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Literal

import numpy as np
from scipy import special

from neat_verdict.core.checks import InputError, check_count, check_not_negative, check_positive, check_probability
from neat_verdict.core.regions.calendar import SpendingCalendar
from neat_verdict.core.regions.course import Course, course_of
from neat_verdict.core.regions.drawing import DrawnPair, check_pairs, least_pairs
from neat_verdict.core.regions.effect import RegionEffect, Windows, pair_lifts, read_effect
from neat_verdict.core.regions.following import Observed, Usable, usable_days
from neat_verdict.core.regions.levels import Arm, Group
from neat_verdict.core.regions.synthetic import synthetic_lift
from neat_verdict.core.regions.watching import RegionWatch, watch_regions
from neat_verdict.core.statistics import adjust_family

LOST = 0.1  # of the treated regions' outcome, beyond which pairs without data make it unsound. The house's limit, no source

Phase = Literal["before", "test", "cool_down", "complete"]


@dataclass(frozen=True)
class RegionTest:
    """What is fixed at the start.

    Spending is changed to ``level``, a share of the usual, in one of each pair from ``start`` on for ``test_days``, and read
    after ``cool_down_days`` more, against the ``base_days`` before. 0 is withheld; of a graded test each ``arm`` is one of
    these. The spending pays above ``break_even`` units of ``outcome`` per unit of spend; within ``same_within``, a share of it,
    on either side, it makes no difference worth while (0 for no such band). More than ``leak_limit`` of the change not come
    about makes it unsound. Of outcomes in ``less_is_better`` less is wanted. Raises InputError for values out of range.
    """

    outcome: str
    pairs: tuple[DrawnPair, ...]
    start: date
    test_days: int
    cool_down_days: int
    base_days: int
    break_even: float
    confidence: float = 0.95
    same_within: float = 0.0
    leak_limit: float = 0.1
    less_is_better: frozenset[str] = frozenset()
    arm: Arm = "withheld"
    level: float = 0.0

    def __post_init__(self) -> None:
        check_probability("confidence", self.confidence)
        check_pairs(len(self.pairs), self.confidence)
        for name in ("test_days", "base_days"):
            check_count(name, getattr(self, name), 1)
        check_count("cool_down_days", self.cool_down_days)
        check_positive("break_even", self.break_even)
        check_not_negative("same_within", self.same_within)
        if self.same_within >= 1:
            raise InputError("same_within", self.same_within, "must be below 1: a share of what pays")
        check_probability("leak_limit", self.leak_limit)
        check_not_negative("level", self.level)
        if self.level == 1:
            raise InputError("level", self.level, "must not be what is spent anyway")
        if self.outcome in self.less_is_better:
            raise InputError("less_is_better", self.outcome, "must not be the outcome that decides")

    @property
    def days(self) -> int:
        """Of test and cool-down together."""
        return self.test_days + self.cool_down_days

    @property
    def last(self) -> date:
        """The last day that is read."""
        return self.start + timedelta(self.days - 1)


@dataclass(frozen=True)
class OutcomeEffect:
    """What the change of spending did to an outcome, of one product ``group`` or of all (""). Of those that do not decide,
    ``pvalue`` and intervals are adjusted for how many there are; ``confidence`` is that of the intervals."""

    outcome: str
    group: str
    effect: RegionEffect
    pvalue: float
    confidence: float


@dataclass(frozen=True, slots=True)
class PairLift:
    """What one pair shows, with bounds by how far its two went apart in past windows; None where there are too few."""

    pair: DrawnPair
    lift: float
    low: float | None
    high: float | None


@dataclass(frozen=True)
class RegionReading:
    """The days so far. ``primary`` and ``course`` are None before the first day of the test, or with too few pairs to read;
    ``others`` are the other outcomes, ``by_group`` the one that decides by product group. ``lost`` is the part of the treated
    regions' outcome in pairs that lack too many days, ``unread`` outcomes and groups with nothing to grow from.
    ``synthetic`` is the lift by synthetic control, a check."""

    test: RegionTest
    days: int
    primary: OutcomeEffect | None
    others: tuple[OutcomeEffect, ...]
    by_group: tuple[OutcomeEffect, ...]
    pair_by_pair: tuple[PairLift, ...]
    course: Course | None
    watch: RegionWatch | None
    left_out: tuple[DrawnPair, ...]
    lost: float
    unread: tuple[str, ...] = ()
    synthetic: float | None = None

    @property
    def phase(self) -> Phase:
        if self.days == 0:
            return "before"
        if self.days >= self.test.days:
            return "complete"
        return "test" if self.days <= self.test.test_days else "cool_down"

    @property
    def last(self) -> date:
        """The last day that is in it, the one before the start where none is."""
        return self.test.start + timedelta(self.days - 1)


def read_region_test(
    test: RegionTest,
    observed: Observed,
    calendar: SpendingCalendar,
    groups: Mapping[str, Observed],
    others: Sequence[str],
    *,
    cells: Mapping[Group, Sequence[str]] | None = None,
    ended: date | None = None,
) -> RegionReading:
    """Read a test with the days so far, up to the day on which it ``ended`` where that was early.

    ``groups`` are the product groups on their own, ``others`` regions that the test leaves as they are; ``cells`` are the regions
    of the calendar's groups, those of the pairs where left out. Raises InputError for
    a region or an outcome that the data do not have, or a start before there are days enough to hold it against.
    """
    panel = observed.panel
    start = (test.start - panel.first).days
    if start < test.base_days:
        raise InputError("start", test.start, f"must leave {test.base_days} days of data before it")
    until = min(test.last, ended) if ended is not None else test.last
    days = max(min(panel.days - start, (until - test.start).days + 1), 0)
    if days == 0:
        return RegionReading(test, 0, None, (), (), (), None, None, (), 0.0)
    windows = Windows(start - test.base_days, start, start + days)
    # A day that one of these lacks would count as nothing sold there.
    others = [name for name in others if observed.complete([name], windows)]
    cells = cells or {
        "withheld": [pair.treated for pair in test.pairs],
        "control": [pair.control for pair in test.pairs],
    }
    watch = watch_regions(
        observed, test.outcome, test.pairs, windows, calendar, cells, test.test_days, others, test.level
    )
    usable = usable_days(observed, test.pairs, windows)
    lost = _part_of(observed, test, usable, windows)
    if len(usable.pairs) < least_pairs(test.confidence):
        return RegionReading(test, days, None, (), (), (), None, watch, usable.left_out, lost)
    first = read_effect(usable.panel, test.outcome, usable.pairs, windows, test.confidence)
    outcomes, unread = _family(test, [(name, "", usable) for name in panel.outcomes if name != test.outcome], windows)
    parts = [(test.outcome, name, usable_days(one, usable.pairs, windows)) for name, one in groups.items()]
    by_group, unread_groups = _family(test, parts, windows)
    return RegionReading(
        test,
        days,
        OutcomeEffect(test.outcome, "", first, first.lift.pvalue, test.confidence),
        outcomes,
        by_group,
        _pair_by_pair(test, usable, windows),
        course_of(usable.panel, test.outcome, usable.pairs, windows, test.confidence),
        watch,
        usable.left_out,
        lost,
        (*unread, *unread_groups),
        _synthetic(test, observed, usable, windows, others),
    )


def _family(
    test: RegionTest, asked: Sequence[tuple[str, str, Usable]], windows: Windows
) -> tuple[tuple[OutcomeEffect, ...], tuple[str, ...]]:
    """Effects with p by Holm's steps and intervals at the steps' levels, and the names of those that cannot be read."""
    found, unread = [], []
    for outcome, group, usable in asked:
        try:
            effect = read_effect(usable.panel, outcome, usable.pairs, windows, test.confidence)
        except InputError:
            unread.append(group or outcome)
            continue
        found.append((outcome, group, usable, effect.lift.pvalue))
    family = adjust_family([one[3] for one in found], test.confidence, "holm")
    effects = tuple(
        OutcomeEffect(
            outcome, group, read_effect(usable.panel, outcome, usable.pairs, windows, 1 - level), adjusted, 1 - level
        )
        for (outcome, group, usable, _), adjusted, level in zip(found, family.adjusted, family.levels, strict=True)
    )
    return effects, tuple(unread)


def _synthetic(
    test: RegionTest, observed: Observed, usable: Usable, windows: Windows, others: Sequence[str]
) -> float | None:
    """Of the pairs that lack no day; None where there are none, or some region has nothing to be weighed by."""
    whole = [pair for pair in usable.pairs if observed.complete([pair.treated, pair.control], windows)]
    if not whole:
        return None
    try:
        return synthetic_lift(observed.panel, test.outcome, whole, windows, others)
    except InputError:
        return None


def _pair_by_pair(test: RegionTest, usable: Usable, windows: Windows) -> tuple[PairLift, ...]:
    lifts, spreads = pair_lifts(usable.panel, test.outcome, usable.pairs, windows)
    reach = special.ndtri((1 + test.confidence) / 2) * spreads
    low, high = ((1 + lifts) * np.exp(side * reach) - 1 for side in (-1, 1))
    known = np.isfinite(low) & np.isfinite(high)
    return tuple(
        PairLift(pair, float(lift), float(under) if there else None, float(over) if there else None)
        for pair, lift, under, over, there in zip(usable.pairs, lifts, low, high, known, strict=True)
    )


def _part_of(observed: Observed, test: RegionTest, usable: Usable, windows: Windows) -> float:
    """What the treated regions of pairs that are left out had of the outcome in the base."""
    base = observed.panel.outcome(test.outcome)[:, windows.base : windows.start]

    def of(pairs: Sequence[DrawnPair]) -> float:
        return float(base[observed.panel.rows([pair.treated for pair in pairs])].sum())

    whole = of(test.pairs)
    return of(usable.left_out) / whole if whole > 0 else 0.0
