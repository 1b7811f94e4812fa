"""Past data of regions from a file, CSV or Parquet: every wrong row with its line. Pure; the caller brings the day."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from pathlib import Path

from neat_verdict.app.collect.counts import Expected, day_in, day_order
from neat_verdict.app.collect.days import Span
from neat_verdict.app.collect.text import Text, read_text
from neat_verdict.app.collect.unit_files import normal, opened
from neat_verdict.app.http.problems import Conflict
from neat_verdict.core.checks import InputError
from neat_verdict.core.metrics import RATE
from neat_verdict.core.numbers import MARKS, DecimalMark, decimal_mark, read_number
from neat_verdict.core.regions import Row, WrongRow, wrong_rows
from neat_verdict.core.text.format import plural

WRONG_SHOWN = 50
MAX_ROWS, MAX_REGIONS, MAX_OUTCOMES = 5_000_000, 2_000, 6
_REGION = ("region", "regions", "town", "city", "area", "district", "county", "ort", "stadt", "ville", "ciudad")
_DAY = ("day", "date", "tag", "datum", "jour", "fecha", "dia")
_SPEND = ("spend", "spent", "cost", "costs", "kosten", "budget")
_GROUP = ("product_group", "product_groups", "group", "category", "product")


@dataclass(frozen=True)
class PastFile:
    """Rows by product group ("" where the file has none), the names of the outcomes, and rows that are wrong."""

    rows: dict[str, list[Row]]
    outcomes: tuple[str, ...]
    wrong: tuple[WrongRow, ...]
    count: int
    ignored: tuple[str, ...]
    has_spend: bool


def read_regions(path: Path, latest: date, decimal: DecimalMark | None = None, *, of_test: bool = False) -> PastFile:
    """A file with a row a region and day, in any order.

    A column of regions, one of days, spend where there is any, product groups where there are any; every other column whose cells
    are numbers is an outcome. Days ``of_test`` may have spend alone. Raises InputError for a file that cannot be read, or lacks a
    region, a day or an outcome.
    """
    text = _text(path)
    named = {normal(name): place for place, name in enumerate(text.header)}
    region, day = (_column(text, named, names, what) for names, what in ((_REGION, "region"), (_DAY, "day")))
    spend = next((named[name] for name in _SPEND if name in named), None)
    group = next((named[name] for name in _GROUP if name in named and named[name] != region), None)
    others = [place for place in range(len(text.header)) if place not in {region, day, spend, group}]
    outcomes = [place for place in others if _is_number(text, place, decimal)]
    if not outcomes and not (of_test and spend is not None):
        raise InputError(
            "file",
            ", ".join(text.header)[:200],
            "must have a column of numbers as well as region, day and spend: an outcome",
        )
    if len(outcomes) > MAX_OUTCOMES:
        raise InputError("file", len(outcomes), f"columns of numbers are too many: {MAX_OUTCOMES} outcomes at most")
    numbers = outcomes + ([] if spend is None else [spend])
    mark = decimal or decimal_mark(
        (cells[place], False) for _, cells in text.rows() for place in numbers if place < len(cells)
    )
    expected = Expected({"day": day}, len(text.header), (), Span(latest), day_order(text, day), RATE, mark)
    names = {place: text.header[place].strip() for place in outcomes}
    rows: dict[str, list[Row]] = {}
    wrong: list[WrongRow] = []
    days: dict[str, date] = {}
    count = 0
    for line, cells in text.rows():
        count += 1
        if count > MAX_ROWS:
            raise InputError("file", f"over {MAX_ROWS:,} rows", "is too large: bring in fewer days or regions")
        try:
            row = _row(line, cells, region, day, spend, names, expected, days)
        except InputError as problem:
            place = {"region": region, "day": day, "spend": spend}.get(problem.field)
            value = cells[place].strip() if place is not None and place < len(cells) else ""
            wrong.append(WrongRow(line, problem.field, value[:80], str(problem)[:300]))
            continue
        of = cells[group].strip()[:80] if group is not None and group < len(cells) else ""
        rows.setdefault(of, []).append(row)
    for lines in rows.values():
        wrong += wrong_rows(lines)
    regions = {row.region for lines in rows.values() for row in lines}
    if len(regions) > MAX_REGIONS:
        raise InputError("file", len(regions), f"regions are too many: {MAX_REGIONS:,} at most")
    if not rows and not wrong:
        raise InputError("file", "no row", "must have a row for a region and a day at least")
    ignored = tuple(text.header[place] for place in others if place not in outcomes)
    ordered = tuple(sorted(wrong, key=lambda one: one.line))
    return PastFile(rows, tuple(names.values()), ordered, count, ignored, spend is not None)


def refuse_wrong(found: PastFile) -> None:
    """Raise Conflict, with the wrong rows, where there are any."""
    if not found.wrong:
        return
    first = found.wrong[0]
    raise Conflict(
        f"{plural(len(found.wrong), 'row')} of the file are wrong, and nothing was kept; line {first.line}: {first.reason}",
        wrong=[
            {"line": one.line, "column": one.column, "value": one.value, "reason": one.reason}
            for one in found.wrong[:WRONG_SHOWN]
        ],
        wrong_count=len(found.wrong),
    )


def _text(path: Path) -> Text:
    with path.open("rb") as file:
        if file.read(4) != b"PAR1":
            file.seek(0)
            return read_text(file.read(), ("region", "day", "outcome"))
    with opened(path, "UTC") as (connection, _, _):
        connection.execute("SELECT * FROM given")
        header = tuple(column[0] for column in connection.description or ())
        kept = io.StringIO()
        writer = csv.writer(kept, lineterminator="\n")
        writer.writerow(header)
        while lines := connection.fetchmany(50_000):
            writer.writerows(lines)
        return Text(kept.getvalue(), "Parquet", ",", header)


def _column(text: Text, named: dict[str, int], names: Sequence[str], what: str) -> int:
    for name in names:
        if name in named:
            return named[name]
    raise InputError("file", ", ".join(text.header)[:200], f"must have a column named {what}")


def _is_number(text: Text, place: int, decimal: DecimalMark | None) -> bool:
    """Whether the first cell with something in it can be read as a number in some way."""
    for _, cells in text.rows():
        if place < len(cells) and (cell := cells[place].strip()):
            return any(_reads(cell, mark) for mark in ((decimal,) if decimal else MARKS))
    return False


def _reads(cell: str, mark: DecimalMark | None) -> bool:
    try:
        read_number("value", cell, mark)
    except InputError:
        return False
    return True


def _row(
    line: int,
    cells: Sequence[str],
    region: int,
    day: int,
    spend: int | None,
    names: dict[int, str],
    expected: Expected,
    days: dict[str, date],
) -> Row:
    if len(cells) > expected.width and any(cell.strip() for cell in cells[expected.width :]):
        raise InputError(
            "row",
            f"{len(cells)} cells",
            f"has more than the header’s {expected.width}; put numbers with commas in quotes",
        )
    padded = [*cells, *[""] * (expected.width - len(cells))]
    name, written = padded[region].strip(), padded[day].strip()
    if not name:
        raise InputError("region", "empty", "must be named")
    if written not in days:
        days[written] = day_in(written, expected)
    values = {title: read_number(title, padded[place], expected.decimal) for place, title in names.items()}
    spent = padded[spend].strip() if spend is not None else ""
    return Row(line, name[:120], days[written], values, read_number("spend", spent, expected.decimal) if spent else 0.0)
