"""Baseline and standard_deviation from a file of past data. Pure: text in, figures out."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import date

import numpy as np

from neat_verdict.app.collect.text import Text, read_text
from neat_verdict.core.checks import InputError, read_count
from neat_verdict.core.metrics import RATE, Tallying
from neat_verdict.core.numbers import DecimalMark, decimal_mark, read_number
from neat_verdict.core.statistics import LEAST_DAYS, daily_sums, histogram

_NAMES = {
    "day": ("day", "date", "datum", "tag"),
    "units": ("units", "visitors", "users", "sessions", "n", "count"),
    "conversions": ("conversions", "converted", "successes", "orders"),
    "value": ("value", "amount", "revenue", "total", "numerator"),
    "denominator": ("denominator", "divisor", "views", "impressions"),
}


@dataclass(frozen=True, slots=True)
class Past:
    """A level and its standard_deviation (None for a rate) with the units it rests on, and by day where days were given."""

    baseline: float
    standard_deviation: float | None
    units: int
    days: tuple[date, ...]
    cap_99: float | None

    @property
    def units_per_day(self) -> float | None:
        """Over all days from the first to the last."""
        return self.units / ((self.days[-1] - self.days[0]).days + 1) if self.days else None


def read_past(content: bytes, tallying: Tallying = RATE) -> Past:
    """Read a CSV of daily counts (units and conversions) or of one row a unit (value, and denominator for a ratio).

    A column ``day`` is taken where it is there. Of totals by day a row has day, units, numerator and denominator; the standard
    deviation is then √units times the error of the ratio, with which a plan counts in units. Of a metric with buckets the level
    is its quantile, over the units that have a value. Raises InputError naming the first wrong line and what is accepted.
    """
    text = read_text(content)
    columns = {name: _column(text.header, spellings) for name, spellings in _NAMES.items()}
    if not tallying.stored:
        return _totals(text, columns, tallying)
    if columns["units"] is not None and columns["conversions"] is not None:
        return _counts(text, columns)
    if columns["value"] is not None:
        return _values(text, columns, tallying)
    raise InputError(
        "file",
        ", ".join(text.header),
        "must have the columns units and conversions (a day each), or value (a unit each)",
    )


def _column(header: tuple[str, ...], spellings: tuple[str, ...]) -> int | None:
    known = [name.strip().lower() for name in header]
    return next((known.index(name) for name in spellings if name in known), None)


def _cell(cells: list[str], column: int | None) -> str:
    return cells[column].strip() if column is not None and column < len(cells) else ""


def _day(line: int, text: str) -> date:
    try:
        return date.fromisoformat(text[:10])
    except ValueError as problem:
        raise InputError("file", f"line {line}: {text or 'empty'}", "must have its day as 2026-03-31") from problem


def _counts(text: Text, columns: dict[str, int | None]) -> Past:
    units = conversions = 0
    days: set[date] = set()
    for line, cells in text.rows():
        try:
            seen = read_count("units", _cell(cells, columns["units"]))
            converted = read_count("conversions", _cell(cells, columns["conversions"]))
        except InputError as problem:
            raise InputError("file", f"line {line}", str(problem)) from problem
        if converted > seen:
            raise InputError("file", f"line {line}", f"has more conversions ({converted}) than units ({seen})")
        units, conversions = units + seen, conversions + converted
        if columns["day"] is not None:
            days.add(_day(line, _cell(cells, columns["day"])))
    if not 0 < conversions < units:
        raise InputError("file", f"{conversions} of {units}", "must hold some conversions, and units without")
    return Past(conversions / units, None, units, tuple(sorted(days)), None)


def _values(text: Text, columns: dict[str, int | None], tallying: Tallying) -> Past:
    places = [columns[name] for name in ("value", "denominator")]
    mark = decimal_mark(
        (_cell(cells, place), False) for _, cells in text.rows() for place in places if place is not None
    )
    values: list[float] = []
    below: list[float] = []
    days: set[date] = set()
    for line, cells in text.rows():
        written = _cell(cells, columns["value"])
        values.append(math.nan if tallying.buckets and not written else _number(line, written, mark))
        if columns["denominator"] is not None:
            below.append(_number(line, _cell(cells, columns["denominator"]), mark))
        if columns["day"] is not None:
            days.add(_day(line, _cell(cells, columns["day"])))
    if len(values) < 2:
        raise InputError("file", f"{len(values)} rows", "must have 2 rows or more to know a standard deviation")
    numerator = np.array(values)
    if tallying.buckets:
        seen = numerator[~np.isnan(numerator)]
        arm = tallying.check_sums([len(values), len(seen), *histogram(seen)])
        return _past(arm.estimate, math.sqrt(arm.squared_error * len(values)), len(values), days, None)
    if below:
        divisor = np.array(below)
        if divisor.sum() <= 0:
            raise InputError("file", "denominator", "must add up to more than 0")
        level = float(numerator.sum() / divisor.sum())
        residual = (numerator - level * divisor) / divisor.mean()
        return _past(level, float(residual.std(ddof=1)), len(values), days, None)
    cap = float(np.quantile(numerator, 0.99))
    return _past(float(numerator.mean()), float(numerator.std(ddof=1)), len(values), days, cap)


def _totals(text: Text, columns: dict[str, int | None], tallying: Tallying) -> Past:
    """A row a day with units, numerator and denominator."""
    names = ("day", "units", "value", "denominator")
    missing = [name for name in names if columns[name] is None]
    if missing:
        wanted = "must have the columns day, units, numerator and denominator (a day each)"
        raise InputError("file", ", ".join(text.header), wanted)
    places = [columns[name] for name in names[1:]]
    mark = decimal_mark(
        (_cell(cells, place), number == 0)
        for _, cells in text.rows()
        for number, place in enumerate(places)
        if place is not None
    )
    by_day: dict[date, list[float]] = {}
    for line, cells in text.rows():
        day = _day(line, _cell(cells, columns["day"]))
        sums = by_day.setdefault(day, [0.0, 0.0, 0.0])
        for number, place in enumerate(places):
            sums[number] += _number(line, _cell(cells, place), mark)
    table = np.array(list(by_day.values())).reshape(-1, 3, 1)
    arm = tallying.check_sums(daily_sums(table[:, 1], table[:, 2], table[:, 0]).sum(axis=1)[:, 0].tolist())
    if not arm.comparable:
        raise InputError(
            "file", f"{len(by_day)} days", f"must have {LEAST_DAYS} days or more, and a denominator above 0"
        )
    return _past(arm.estimate, math.sqrt(arm.squared_error * arm.units), arm.units, set(by_day), None)


def _past(level: float, standard_deviation: float, units: int, days: set[date], cap: float | None) -> Past:
    if not (level > 0 and standard_deviation > 0):
        raise InputError(
            "file",
            f"level {level:.4g}, standard_deviation {standard_deviation:.4g}",
            "must have a level and a standard deviation above 0, of values enough to know it",
        )
    return Past(level, standard_deviation, units, tuple(sorted(days)), cap)


def _number(line: int, text: str, mark: DecimalMark | None) -> float:
    try:
        return read_number("value", text, mark)
    except InputError as problem:
        raise InputError("file", f"line {line}: {text or 'empty'}", problem.rule) from problem
