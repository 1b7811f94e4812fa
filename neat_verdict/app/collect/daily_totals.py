"""Files with a row a day and variant whose columns are totals, some of which may be missing: spend, and second counts."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from neat_verdict.app.collect.counts import (
    Expected,
    WrongRow,
    day_in,
    day_order,
    decimal_of,
    refuse_repeated,
    refuse_surplus,
)
from neat_verdict.app.collect.days import Span
from neat_verdict.app.collect.text import Text, match_columns
from neat_verdict.core.checks import InputError
from neat_verdict.core.numbers import ASK_MARK, DecimalMark, read_number

Sums = dict[tuple[date, int], dict[str, float]]


@dataclass(frozen=True, slots=True)
class DailyTotalsFile:
    """What a file holds: ``sums`` by (day, position) have the totals that it has columns for, rows of the same day and variant
    added up. ``decimal_open`` says that the decimal mark must be chosen."""

    rows: int
    sums: Sums
    wrong: tuple[WrongRow, ...]
    decimal_mark: DecimalMark | None
    decimal_open: bool
    ignored: tuple[str, ...]

    @property
    def days(self) -> list[date]:
        """The days of the file, in order."""
        return sorted({day for day, _ in self.sums})


def columns_in(text: Text, totals: Sequence[str], others: Sequence[str] = ()) -> dict[str, int]:
    """The columns of day, variant, each total and what else is known. Raises InputError without day, variant or any total."""
    found = match_columns(text.header, ("day", "variant", *totals, *others))
    columns = {field: place for field, place in found.items() if place is not None}
    for field in ("day", "variant"):
        if field not in columns:
            raise InputError(field, "missing", f"must be a column; the file has {', '.join(text.header)}"[:300])
    if not set(totals) & set(columns):
        raise InputError(totals[0], "missing", f"must be a column, or {' or '.join(totals[1:])} must")
    return columns


def read_totals(
    text: Text,
    columns: Mapping[str, int],
    totals: Sequence[str],
    variants: Sequence[tuple[str, str]],
    span: Span,
    decimal: DecimalMark | None = None,
    whole: Sequence[str] = (),
) -> DailyTotalsFile:
    """Read all rows; ``columns`` as `columns_in` finds them, ``variants`` are (letter, name), ``whole`` the totals that are
    counts. Raises InputError for numbers that are written in two ways."""
    numbers = {field: place for field, place in columns.items() if field in ("day", "variant", *totals)}
    decimal = decimal or decimal_of(text, numbers, whole=tuple(whole))
    expected = Expected(numbers, len(text.header), variants, span, day_order(text, columns["day"]), decimal=decimal)
    names = expected.names()
    sums: Sums = {}
    wrong: list[WrongRow] = []
    so_far: dict[int, int] = {}
    rows = 0
    for line, cells in text.rows():
        rows += 1
        try:
            refuse_repeated(cells, line, so_far)
            key, values = _row(cells, expected, names, totals)
        except InputError as problem:
            place = columns.get(problem.field)
            shown = cells[place][:80] if place is not None and place < len(cells) else ""
            wrong.append(WrongRow(line, problem.field, shown, str(problem)[:300]))
            continue
        kept = sums.setdefault(key, dict.fromkeys(values, 0.0))
        for field, value in values.items():
            kept[field] += value
    return DailyTotalsFile(
        rows=rows,
        sums=sums,
        wrong=tuple(wrong),
        decimal_mark=decimal,
        decimal_open=decimal is None and any(line.reason.endswith(ASK_MARK) for line in wrong),
        ignored=tuple(name for place, name in enumerate(text.header) if place not in columns.values()),
    )


def _row(
    cells: list[str], expected: Expected, names: dict[str, int], totals: Sequence[str]
) -> tuple[tuple[date, int], dict[str, float]]:
    refuse_surplus(cells, expected)
    values = {}
    for field, place in expected.columns.items():
        if place >= len(cells):
            raise InputError(field, "empty", f"is missing: the row has {len(cells)} cells only")
        values[field] = cells[place].strip()
    position = names.get(values["variant"].lower())
    if position is None:
        known = ", ".join(f"{letter} ({name})" for letter, name in expected.variants)
        raise InputError("variant", values["variant"] or "empty", f"must be one of {known}")
    sums = {}
    for field in totals:
        if field in values:
            sums[field] = read_number(field, values[field] or "0", expected.decimal)
            if sums[field] < 0:
                raise InputError(field, values[field], "must be 0 or more")
    return (day_in(values["day"], expected), position), sums
