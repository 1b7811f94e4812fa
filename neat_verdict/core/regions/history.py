"""Past data of regions, row by row: what is refused, what makes a region unfit for a test, and what is only odd.

A region with a gap cannot be held against another, so it is left out unless a missing row is said to mean 0. Outliers and level
shifts stay in: a test may meet the like, and placebo tests have them too; they are said with region and day.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Literal

import numpy as np

from neat_verdict.core.checks import InputError
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.regions.panel import WEEK, Panel, weekly

SHOWN = 20  # findings of a kind that are listed
# The house's limits, no source: of robust standard deviations, and of a share.
OUTLIER, SHIFT, FAR = 6.0, 6.0, 0.3
_SHIFT_WEEKS = 4  # on either side of a level shift
_MAD = 1.4826  # times the median absolute deviation is the standard deviation of a normal distribution

FindingKind = Literal["gap", "nothing", "outlier", "shift"]


@dataclass(frozen=True, slots=True)
class Row:
    """A row of past data: ``line`` of the file, ``values`` by outcome."""

    line: int
    region: str
    day: date
    values: Mapping[str, float]
    spend: float


@dataclass(frozen=True, slots=True)
class WrongRow:
    """What is wrong with a row, where."""

    line: int
    column: str
    value: str
    reason: str


@dataclass(frozen=True, slots=True)
class Finding:
    """What is odd about a region from a ``day`` on; ``days`` are how many of them, ``outcome`` "" where it is of the rows."""

    kind: FindingKind
    region: str
    day: date
    days: int = 1
    outcome: str = ""
    size: float = 0.0


@dataclass(frozen=True)
class History:
    """The panel of the regions that can be used, and the ``findings`` about all of them. ``left_out`` cannot be used."""

    panel: Panel
    findings: tuple[Finding, ...]
    left_out: tuple[str, ...]


def wrong_rows(rows: Sequence[Row]) -> list[WrongRow]:
    """Rows that nothing can be made of, each with the first thing that is wrong: a region and day twice, values under 0."""
    seen: dict[tuple[str, date], int] = {}
    return [wrong for row in rows if (wrong := _wrong(row, seen)) is not None]


def _wrong(row: Row, seen: dict[tuple[str, date], int]) -> WrongRow | None:
    first = seen.setdefault((row.region, row.day), row.line)
    if first != row.line:
        return WrongRow(row.line, "day", str(row.day), f"{row.region} has this day in line {first} already")
    for column, value in {**row.values, "spend": row.spend}.items():
        if not value >= 0:
            return WrongRow(row.line, column, f"{value:g}", "must be 0 or more")
    return None


def history_of(rows: Sequence[Row], *, missing_is_zero: bool = False) -> History:
    """Rows as a panel of the regions that have every day, with what is odd.

    Raises InputError where a row is wrong (`wrong_rows`), no region has every day, or an outcome is 0 everywhere.
    """
    if not rows:
        raise InputError("rows", "none", "must have a region and a day at least")
    if wrong := wrong_rows(rows):
        one = wrong[0]
        raise InputError(one.column, one.value, f"in line {one.line}: {one.reason}")
    regions = sorted({row.region for row in rows})
    first, last = min(row.day for row in rows), max(row.day for row in rows)
    days, names = (last - first).days + 1, tuple(rows[0].values)
    table = np.full((len(names) + 1, len(regions), days), np.nan)
    places = {name: place for place, name in enumerate(regions)}
    for row in rows:
        table[:, places[row.region], (row.day - first).days] = [*(row.values[name] for name in names), row.spend]
    found = [] if missing_is_zero else _gaps(regions, first, np.isnan(table[-1]))
    table = np.nan_to_num(table) if missing_is_zero else table
    whole = [not np.isnan(line).any() for line in table[-1]]
    nothing = [not line.any() for line in np.nan_to_num(table[:-1]).sum(axis=0)]
    found += [Finding("nothing", name, first, days) for name, empty in zip(regions, nothing, strict=True) if empty]
    fit = [name for name, full, empty in zip(regions, whole, nothing, strict=True) if full and not empty]
    if not fit:
        raise InputError("regions", len(regions), "must have one at least with every day, and something in it")
    rows_of = [places[name] for name in fit]
    panel = Panel(
        tuple(fit), first, {name: table[place][rows_of] for place, name in enumerate(names)}, table[-1][rows_of]
    )
    for name, values in panel.outcomes.items():
        if not values.any():
            raise InputError(name, 0, "must be above 0 somewhere")
        found += _outliers(panel, name, values) + _shifts(panel, name, values)
    return History(panel, tuple(found), tuple(name for name in regions if name not in set(fit)))


def _gaps(regions: Sequence[str], first: date, missing: np.ndarray) -> list[Finding]:
    found = []
    for name, line in zip(regions, missing, strict=True):
        edges = np.flatnonzero(np.diff(np.concatenate([[False], line, [False]]).astype(np.int8)))
        for start, end in edges.reshape(-1, 2).tolist():
            found.append(Finding("gap", name, date.fromordinal(first.toordinal() + start), end - start))
    return found


def _expected(values: FloatArray) -> FloatArray:
    """What each region usually has on that weekday, times what that day was for all of them."""
    weekdays = np.arange(values.shape[1]) % WEEK
    usual = _by_weekday(values)[:, weekdays]
    day = np.median(values / usual, axis=0)
    return np.asarray(_by_weekday(values / np.maximum(day, 1e-9))[:, weekdays] * day)


def _by_weekday(values: FloatArray) -> FloatArray:
    """Medians, regions x weekdays; above 0."""
    medians = np.stack([np.median(values[:, place::WEEK], axis=1) for place in range(WEEK)], axis=1)
    least = np.maximum(values.mean(axis=1, keepdims=True), 1e-9) / 100
    return np.asarray(np.maximum(medians, least))


def _spread(values: FloatArray) -> FloatArray:
    """Robust standard deviation by region; never 0."""
    middle = np.median(values, axis=1, keepdims=True)
    return np.maximum(_MAD * np.median(np.abs(values - middle), axis=1, keepdims=True), 1e-6)


def outliers_of(panel: Panel, outcome: str) -> list[Finding]:
    """Days of an outcome far from what their region, weekday and day lead to expect, the farthest first. Raises InputError for an
    outcome it does not have."""
    return _outliers(panel, outcome, panel.outcome(outcome))


def _outliers(panel: Panel, name: str, values: FloatArray) -> list[Finding]:
    """Days far from what is expected, in units that grow with its square root as counts' spread does."""
    expected = _expected(values)
    beyond = (values - expected) / np.sqrt(np.maximum(expected, 1e-9))
    scores = beyond / _spread(beyond)
    sizes = values / np.maximum(expected, 1e-9) - 1
    places = np.argwhere((np.abs(scores) > OUTLIER) & (np.abs(sizes) > FAR))
    worst = sorted(places.tolist(), key=lambda at: -abs(scores[at[0], at[1]]))
    return [
        Finding("outlier", panel.regions[row], panel.day(day), 1, name, float(sizes[row, day])) for row, day in worst
    ]


def _shifts(panel: Panel, name: str, values: FloatArray) -> list[Finding]:
    """Where the four weeks after lie far from the four before, measured against the others: the largest of each region."""
    weeks = np.log1p(weekly(values))
    if weeks.shape[1] < 2 * _SHIFT_WEEKS + 1:
        return []
    weeks = weeks - np.median(weeks, axis=0)
    windows = np.lib.stride_tricks.sliding_window_view(weeks, _SHIFT_WEEKS, axis=1)
    medians = np.median(windows, axis=2)
    jumps = medians[:, _SHIFT_WEEKS:] - medians[:, :-_SHIFT_WEEKS]
    spread = _spread(np.diff(weeks, axis=1))
    found = []
    left_over = values.shape[1] % WEEK
    for row, line in enumerate(jumps):
        at = int(np.abs(line).argmax())
        jump = float(np.expm1(line[at]))
        if abs(jump) > FAR and abs(line[at]) > SHIFT * float(spread[row, 0]) / np.sqrt(_SHIFT_WEEKS):
            day = panel.day(left_over + (at + _SHIFT_WEEKS) * WEEK)
            found.append(Finding("shift", panel.regions[row], day, 1, name, jump))
    return found
