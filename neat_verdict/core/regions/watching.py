"""Whether a test by region runs as it was planned: where money still went, what the calendar said, partners that moved too."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date

import numpy as np

from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.regions.calendar import SpendingCalendar
from neat_verdict.core.regions.drawing import DrawnPair
from neat_verdict.core.regions.effect import Windows, past_windows
from neat_verdict.core.regions.following import Observed
from neat_verdict.core.regions.history import Finding, outliers_of
from neat_verdict.core.regions.levels import Group
from neat_verdict.core.regions.panel import WEEK, Panel

# The house's limits, no source: how far off a region's spend is named, as a share of what was to be changed, where nothing is
# spent and where some is; of standard deviations.
LEAK_SHOWN, OFF_SHOWN, MOVED = 0.05, 0.25, 3.0
_FEWEST_OTHERS = 3


@dataclass(frozen=True, slots=True)
class Leak:
    """What was spent in a region that did not keep to its level, and which ``share`` of its usual spend that is."""

    region: str
    spent: float
    share: float


@dataclass(frozen=True, slots=True)
class Missing:
    """So many ``days`` of the test that a region of the pairs lacks, from ``first`` on."""

    region: str
    first: date
    days: int


@dataclass(frozen=True)
class GroupSpend:
    """A group's money by day of the test and its cool-down so far: planned in the calendar, and spent."""

    group: Group
    planned: FloatArray
    spent: FloatArray

    @property
    def difference(self) -> float:
        """Spent beyond what was planned, relative to it; where nothing was planned, 0 for nothing and else without limit."""
        planned, spent = float(self.planned.sum()), float(self.spent.sum())
        if planned == 0:
            return np.inf if spent else 0.0
        return spent / planned - 1


@dataclass(frozen=True, slots=True)
class Moved:
    """The growth of the control regions over that of those not analysed, and how far it went in past windows (one standard
    deviation, of logarithms)."""

    growth: float
    spread: float

    @property
    def too_far(self) -> bool:
        return bool(abs(np.log1p(self.growth)) > MOVED * self.spread)


@dataclass(frozen=True)
class RegionWatch:
    """``share`` is what was spent of the usual in the treated regions while it was changed; None before its first day, or where
    nothing is usual. ``leak`` is the part of the change that did not come about (or was overdone): where nothing was to be
    spent, the share itself. ``leaks`` are the regions that did not keep to their level, the worst first. ``moved`` is None
    where there is nothing to hold the control against. ``shocks`` are days out of the ordinary in regions of the pairs."""

    share: float | None
    leak: float | None
    leaks: tuple[Leak, ...]
    spend: tuple[GroupSpend, ...]
    missing: tuple[Missing, ...]
    moved: Moved | None
    shocks: tuple[Finding, ...] = ()


def watch_regions(
    observed: Observed,
    outcome: str,
    pairs: Sequence[DrawnPair],
    windows: Windows,
    calendar: SpendingCalendar,
    cells: Mapping[Group, Sequence[str]],
    test_days: int,
    others: Sequence[str],
    level: float = 0.0,
) -> RegionWatch:
    """Look at the days so far.

    ``windows`` end with the last day there is, ``test_days`` are those on which ``level`` of the usual is spent; ``cells`` are
    the regions of each of the calendar's groups, those that are not analysed aside. ``others`` are regions that the test leaves
    as they are (none where what is saved is spent in them). Raises InputError for a region or an outcome that it does not have.
    """
    panel = observed.panel
    treated, control = (panel.rows([getattr(pair, side) for pair in pairs]) for side in ("treated", "control"))
    rows: dict[Group, list[int]] = {group: panel.rows(cells[group]) for group in calendar.groups if group != "other"}
    rows["other"] = _rest(panel, {row for taken in rows.values() for row in taken})
    days = min(windows.end - windows.start, len(calendar.days))
    spent_days = slice(windows.start, windows.start + days)
    spend = tuple(
        GroupSpend(
            group,
            np.array([one.planned[place] / 100 for one in calendar.days[:days]]),
            panel.spend[rows[group], spent_days].sum(axis=0),
        )
        for place, group in enumerate(calendar.groups)
    )
    days = min(test_days, windows.end - windows.start)
    share, leaks = _kept_to(observed, treated, control, windows, days, level)
    return RegionWatch(
        share,
        None if share is None else _off(share, level),
        leaks,
        spend,
        _missing(observed, [*treated, *control], windows),
        _moved(panel, panel.outcome(outcome), control, others, windows),
        _shocks(observed, outcome, [*treated, *control], windows),
    )


def _rest(panel: Panel, taken: set[int]) -> list[int]:
    return [place for place in range(len(panel.regions)) if place not in taken]


def _off(share: float, level: float) -> float:
    """How much of a change to ``level`` did not come about, or was overdone."""
    return abs(1 - (share - 1) / (level - 1))


def _kept_to(
    observed: Observed, treated: Sequence[int], control: Sequence[int], windows: Windows, days: int, level: float
) -> tuple[float | None, tuple[Leak, ...]]:
    """What was spent of the usual, and the regions that are off their level.

    What is usual moves with the season: where some of it is spent, it is what the partners have of theirs.
    """
    if days < 1:
        return None, ()
    panel = observed.panel
    spent, usual = _spent_and_usual(observed, treated, windows, days)
    if level > 0:
        theirs, used_to = _spent_and_usual(observed, control, windows, days)
        if theirs.sum() > 0 and used_to.sum() > 0:
            usual = usual * float(theirs.sum() / used_to.sum())
    if usual.sum() <= 0:
        return None, ()
    shares = np.divide(spent, usual, out=np.where(spent > 0, np.inf, 0.0), where=usual > 0)
    shown = LEAK_SHOWN if level == 0 else OFF_SHOWN
    named = [
        (Leak(panel.regions[row], float(money), float(share)), _off(float(share), level))
        for row, money, share in zip(treated, spent, shares, strict=True)
    ]
    worst = sorted(named, key=lambda one: (-one[0].spent if level == 0 else -one[1], one[0].region))
    return float(spent.sum() / usual.sum()), tuple(one for one, off in worst if off > shown)


def _spent_and_usual(
    observed: Observed, rows: Sequence[int], windows: Windows, days: int
) -> tuple[FloatArray, FloatArray]:
    """By region, money of the first ``days`` of the test, and what is usual: the mean of the base on that weekday, on the days
    that it has a row of."""
    panel = observed.panel
    base, now = slice(windows.base, windows.start), slice(windows.start, windows.start + days)
    before, spent = panel.spend[rows, base], panel.spend[rows, now].sum(axis=1)
    there = ~observed.missing[rows, base]
    weekday = np.arange(before.shape[1]) % WEEK
    means = np.stack(
        [
            before[:, weekday == day].sum(axis=1) / np.maximum(there[:, weekday == day].sum(axis=1), 1)
            for day in range(WEEK)
        ],
        axis=1,
    )
    # The base is whole weeks long, so that the test begins on the weekday that the base does.
    places = (np.arange(days) + before.shape[1]) % WEEK
    return spent, np.where(observed.missing[rows, now], 0.0, means[:, places]).sum(axis=1)


def _missing(observed: Observed, rows: Sequence[int], windows: Windows) -> tuple[Missing, ...]:
    panel, found = observed.panel, []
    for row in rows:
        places = np.flatnonzero(observed.missing[row, windows.start : windows.end])
        if len(places):
            found.append(Missing(panel.regions[row], panel.day(windows.start + int(places[0])), len(places)))
    return tuple(sorted(found, key=lambda one: (-one.days, one.region)))


def _shocks(observed: Observed, outcome: str, rows: Sequence[int], windows: Windows) -> tuple[Finding, ...]:
    """Days of the test far from what base and test, the weekday and the day of all regions lead to expect: a fair, a flood. A day
    that is missing is none."""
    panel = observed.panel
    days = slice(windows.base, windows.end)
    part = Panel(
        panel.regions, panel.day(windows.base), {outcome: panel.outcome(outcome)[:, days]}, panel.spend[:, days]
    )
    start, ours = panel.day(windows.start), {panel.regions[row] for row in rows}
    places = {name: place for place, name in enumerate(panel.regions)}
    return tuple(
        one
        for one in outliers_of(part, outcome)
        if one.region in ours
        and one.day >= start
        and not observed.missing[places[one.region], (one.day - panel.first).days]
    )


def _moved(
    panel: Panel, values: FloatArray, control: Sequence[int], others: Sequence[str], windows: Windows
) -> Moved | None:
    """Held against how the same two groups moved apart in past windows of the same length."""
    if len(others) < _FEWEST_OTHERS or windows.end <= windows.start:
        return None
    ours, theirs = values[control].sum(axis=0), values[panel.rows(others)].sum(axis=0)

    def apart(window: Windows) -> float:
        base, test = slice(window.base, window.start), slice(window.start, window.end)
        sums = [float(one[part].sum()) for one in (ours, theirs) for part in (test, base)]
        return float(np.log(sums[0] * sums[3] / (sums[1] * sums[2]))) if min(sums) > 0 else np.nan

    past = past_windows(windows.start, windows.end - windows.start, windows.start - windows.base)
    before = [found for window in past if np.isfinite(found := apart(window))]
    now = apart(windows)
    if len(before) < 2 or not np.isfinite(now):
        return None
    return Moved(float(np.expm1(now)), float(np.sqrt(np.mean(np.square(before)))))
