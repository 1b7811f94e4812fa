"""From rows to daily counts, with every wrong row reported. Pure functions; the caller brings the day and the names."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from operator import gt

import numpy as np

from neat_verdict.app.collect.days import Span
from neat_verdict.app.collect.text import Text
from neat_verdict.core.checks import MAX_COUNT, InputError, check_day, read_count
from neat_verdict.core.limits import MAX_NUMBER_LENGTH
from neat_verdict.core.metrics import RATE, Tallying
from neat_verdict.core.numbers import ASK_MARK, DecimalMark, decimal_mark, read_number

PROGRESS_EVERY = 20_000


def fields_of(tallying: Tallying) -> tuple[str, ...]:
    """The columns that a file of daily sums of a kind of metric must have. Raises InputError for one that is not read from
    sums."""
    if tallying.buckets:
        raise InputError("metric", tallying.name, "cannot be had from daily sums: bring in a file of units, or events")
    if not tallying.stored:
        raise InputError(
            "metric", tallying.name, "is made of other sums: bring in spend, or counts of the metrics it is made of"
        )
    return ("day", "variant", *tallying.least_fields)


def known_fields(tallying: Tallying) -> tuple[str, ...]:
    """The same, and those it may have: the first of several days that a row is of, and sums of higher order."""
    fields_of(tallying)
    return (FIRST_DAY, "day", "variant", *tallying.fields, *tallying.third_fields)


FIRST_DAY = "first_day"
_APART = "\0"  # no text that is read has one
MAX_LENGTH = 400  # days of one row


_ISO = re.compile(r"(\d{4})[-/.](\d{1,2})[-/.](\d{1,2})(?:[T ].*)?$")
_DAY_FIRST = re.compile(r"(\d{1,2})\.(\d{1,2})\.(\d{4})$")
_SLASHED = re.compile(r"(\d{1,2})[/-](\d{1,2})[/-](\d{4})$")
_WEEK = re.compile(r"(\d{4})-?W(\d{2})$")  # of ISO 8601, from Monday on


@dataclass(frozen=True, slots=True)
class WrongRow:
    """Where a row is wrong, what stands there and why it is not accepted."""

    line: int
    column: str
    value: str
    reason: str


@dataclass(slots=True)
class Counts:
    """Sums by (day, position of the variant) in the order of the kind's fields, and what was found on the way. ``lengths`` says
    of a day that ends several how many, ``lines`` the first line of each day."""

    sums: dict[tuple[date, int], tuple[float, ...]] = field(default_factory=dict)
    lengths: dict[date, int] = field(default_factory=dict)
    lines: dict[date, int] = field(default_factory=dict)
    wrong: list[WrongRow] = field(default_factory=list)
    rows: int = 0
    folded: int = 0


@dataclass(frozen=True, slots=True)
class Expected:
    """What the rows are held against; ``width`` is the number of columns of the header."""

    columns: Mapping[str, int]
    width: int
    variants: Sequence[tuple[str, str]]  # (letter, name), control first
    span: Span
    day_first: bool | None = None
    tallying: Tallying = RATE
    decimal: DecimalMark | None = None

    @property
    def fields(self) -> tuple[str, ...]:
        """The columns a row has."""
        return tuple(name for name in known_fields(self.tallying) if name in self.columns)

    def length_of(self, first: str, last: str, ends: date) -> int:
        """How many days a row is of. Raises InputError for a first day after the last, or more than 400 days."""
        if _WEEK.match(last):
            return 7
        if not first:
            return 1
        begins = day_in(first, self, FIRST_DAY)
        length = (ends - begins).days + 1
        if not 1 <= length <= MAX_LENGTH:
            raise InputError(
                FIRST_DAY, first, f"must not be after the last day ({last}), nor more than {MAX_LENGTH} days before"
            )
        return length

    def names(self) -> dict[str, int]:
        """Accepted spellings of each variant: its letter, its name, "control" for A."""
        result = {"control": 0, "baseline": 0}
        for position, (letter, name) in enumerate(self.variants):
            result |= {letter.lower(): position, name.strip().lower(): position, f"variant {letter.lower()}": position}
        return result


def day_order(text: Text, column: int) -> bool | None:
    """Whether 03/04/2026 means the third of April: known by a first or second figure above 12; None if never known."""
    for _, cells in text.rows():
        result = _SLASHED.match(cells[column].strip()) if column < len(cells) else None
        if result and int(result[1]) > 12:
            return True
        if result and int(result[2]) > 12:
            return False
    return None


def decimal_of(
    text: Text, columns: Mapping[str, int], whole: Sequence[str] = ("units", "conversions")
) -> DecimalMark | None:
    """The decimal mark of a file's numbers, from all of them. Raises InputError where they are written in two ways."""
    places = [(place, name in whole) for name, place in columns.items() if name not in ("day", "variant", FIRST_DAY)]
    return decimal_mark(
        (cells[place], counted) for _, cells in text.rows() for place, counted in places if place < len(cells)
    )


def read_counts(text: Text, expected: Expected) -> Iterator[int | Counts]:
    """Yield the number of rows read now and then, and the Counts at the end.

    Rows of the same day and variant are added up (``folded`` counts them): a file may be broken down further than we need. A row
    that is the same as one before in all its cells is wrong: it would count twice.
    """
    counts = Counts()
    names = expected.names()
    days: dict[str, date] = {}
    so_far: dict[int, int] = {}
    for lines, block in text.blocks(PROGRESS_EVERY):
        if not _take_plainly(lines, block, expected, names, days, so_far, counts):
            for line, cells in zip(lines, block, strict=True):
                _take(line, cells, expected, names, days, so_far, counts)
        counts.rows += len(block)
        if counts.rows % PROGRESS_EVERY == 0:
            yield counts.rows
    _leave_out(counts, _overlapping(counts.lengths, {}), expected)
    counts.lengths = {day: length for day, length in counts.lengths.items() if length > 1}
    yield counts


def _take(
    line: int,
    cells: Sequence[str],
    expected: Expected,
    names: Mapping[str, int],
    days: dict[str, date],
    so_far: dict[int, int],
    counts: Counts,
) -> None:
    try:
        refuse_repeated(cells, line, so_far)
        key, seen, length = _row(cells, expected, names, days)
        if counts.lengths.setdefault(key[0], length) != length:
            raise InputError(
                FIRST_DAY,
                str(length),
                f"must be the same in all rows that end on {key[0]}: {counts.lengths[key[0]]} days",
            )
    except InputError as problem:
        counts.wrong.append(_wrong(line, cells, expected, problem))
        return
    before = counts.sums.get(key)
    if before is not None:
        counts.folded += 1
        seen = tuple(a + b for a, b in zip(before, seen, strict=True))
    counts.sums[key] = seen
    counts.lines.setdefault(key[0], line)


def _take_plainly(
    lines: Sequence[int],
    block: Sequence[Sequence[str]],
    expected: Expected,
    names: Mapping[str, int],
    days: dict[str, date],
    so_far: dict[int, int],
    counts: Counts,
) -> bool:
    """Take many rows at once, where nothing about them is odd: counts written in figures, of single days and known variants, and
    no row twice. Returns False, with nothing taken, where that is not so: then each is looked at by itself (`_take`), to the same
    end."""
    if not expected.tallying.arm.converts or FIRST_DAY in expected.columns or set(map(len, block)) != {expected.width}:
        return False
    columns = list(zip(*block, strict=True))
    written = [columns[expected.columns[name]] for name in ("units", "conversions")]
    if any(
        "" in column
        or max(map(len, column)) > MAX_NUMBER_LENGTH
        or not (text := "".join(column)).isascii()
        or not text.isdigit()
        for column in written
    ):
        return False
    units, conversions = (list(map(int, column)) for column in written)
    if max(units) > MAX_COUNT or any(map(gt, conversions, units)):
        return False
    day_texts, variant_texts = columns[expected.columns["day"]], columns[expected.columns["variant"]]
    by_day: dict[str, date] = {}
    for text in dict.fromkeys(day_texts):
        plain = text.strip()
        try:
            by_day[text] = days[plain] if plain in days else day_in(plain, expected)
        except InputError:
            return False
    by_variant = {text: names.get(text.strip().lower()) for text in dict.fromkeys(variant_texts)}
    rows = list(map(_hash_of, block))
    if (
        None in by_variant.values()
        or any(_WEEK.match(text.strip()) for text in by_day)
        or len(set(rows)) < len(rows)
        or not so_far.keys().isdisjoint(rows)
        or any(counts.lengths.get(day, 1) != 1 for day in by_day.values())
    ):
        return False
    so_far.update(zip(rows, lines, strict=True))
    days.update((text.strip(), day) for text, day in by_day.items())
    counts.lengths.update((day, 1) for day in by_day.values())
    first_lines = dict(zip(reversed(day_texts), reversed(lines), strict=True))
    for text, day in by_day.items():  # in the order in which they come
        counts.lines.setdefault(day, first_lines[text])
    # As texts, since so many tuples would have the collector of garbage look at them again and again.
    pairs = list(map(_APART.join, zip(day_texts, variant_texts, strict=True)))
    numbers = {pair: number for number, pair in enumerate(dict.fromkeys(pairs))}
    places = np.fromiter(map(numbers.__getitem__, pairs), np.intp, len(pairs))
    sums = np.zeros((2, len(numbers)), np.int64)
    for row, column in zip(sums, (units, conversions), strict=True):
        np.add.at(row, places, np.array(column, np.int64))
    there = len(counts.sums)
    for pair, added in zip(numbers, sums.T.tolist(), strict=True):
        day_text, _, variant_text = pair.partition(_APART)
        key = (by_day[day_text], by_variant[variant_text] or 0)
        before = counts.sums.get(key, (0, 0))
        counts.sums[key] = (before[0] + added[0], before[1] + added[1])
    counts.folded += len(block) - (len(counts.sums) - there)
    return True


def _overlapping(lengths: Mapping[date, int], there: Mapping[date, int]) -> dict[date, str]:
    """Days whose rows are of days that others are of too, with what those are; ``there`` are those that are stored already, of
    which the same may come again."""
    if not any(length > 1 for length in (*lengths.values(), *there.values())):
        return {}

    def span(day: date, length: int) -> tuple[date, date]:
        return day - timedelta(days=length - 1), day

    mine = sorted((span(day, length) for day, length in lengths.items()), key=lambda one: (one[1] - one[0], one[1]))
    stored = [span(day, length) for day, length in there.items() if lengths.get(day) != length]
    result: dict[date, str] = {}
    for place, (first, last) in enumerate(mine):
        # Of two rows the longer one goes, which may be a sum of others.
        others = [(other, "that are there already") for other in stored]
        others += [(other, "of another row") for other in mine[:place] if other[1] not in result]
        for (begins, ends), where in others:
            if begins <= last and first <= ends:
                result[last] = f"{begins:%-d %B} to {ends:%-d %B %Y} {where}"
                break
    return result


def leave_out_overlaps(counts: Counts, there: Mapping[date, int], expected: Expected) -> None:
    """Take rows away, as wrong ones, that are of days which stored counts of other lengths are of too."""
    _leave_out(counts, _overlapping({day: counts.lengths.get(day, 1) for day, _ in counts.sums}, there), expected)


def leave_out_across(counts: Counts, changes: Sequence[date], expected: Expected) -> None:
    """Take rows away, as wrong ones, within whose days the split was changed, or a variant stopped: none can be taken apart."""
    within = {
        day: change
        for day, length in counts.lengths.items()
        for change in changes
        if day - timedelta(days=length - 1) < change <= day
    }
    column = FIRST_DAY if FIRST_DAY in expected.columns else "day"
    for day, change in within.items():
        rule = (
            f"its days hold {change:%-d %B %Y}, from which on the split was another: bring in rows that end before it, and begin "
            "on it"
        )
        _take_away(counts, day, WrongRow(counts.lines.get(day, 0), column, day.isoformat(), rule))


def _leave_out(counts: Counts, overlaps: Mapping[date, str], expected: Expected) -> None:
    column = FIRST_DAY if FIRST_DAY in expected.columns else "day"
    for day, other in overlaps.items():
        rule = f"its days are also those {other}: they would count twice"
        _take_away(counts, day, WrongRow(counts.lines.get(day, 0), column, day.isoformat(), rule))


def _take_away(counts: Counts, day: date, wrong: WrongRow) -> None:
    counts.wrong.append(wrong)
    counts.sums = {key: sums for key, sums in counts.sums.items() if key[0] != day}
    counts.lengths.pop(day, None)


def _row(
    cells: Sequence[str], expected: Expected, names: Mapping[str, int], days: dict[str, date]
) -> tuple[tuple[date, int], tuple[float, ...], int]:
    refuse_surplus(cells, expected)
    values = {}
    for name in expected.fields:
        index = expected.columns[name]
        if index >= len(cells):
            raise InputError(name, "empty", f"is missing: the row has {len(cells)} cells only")
        values[name] = cells[index].strip()
    if values["day"] not in days:
        days[values["day"]] = day_in(values["day"], expected, or_week=True)
    position = names.get(values["variant"].lower())
    if position is None:
        known = ", ".join(f"{letter} ({name})" for letter, name in expected.variants)
        raise InputError("variant", values["variant"] or "empty", f"must be one of {known}")
    key = (days[values["day"]], position)
    length = expected.length_of(values.get(FIRST_DAY, ""), values["day"], key[0])
    if expected.tallying.arm.converts:
        units, conversions = (count_in(name, values[name], expected.decimal) for name in ("units", "conversions"))
        if conversions > units:
            raise InputError("conversions", conversions, f"must not be greater than units ({units})")
        return key, (units, conversions), length
    sums = [float(count_in("units", values["units"], expected.decimal))]
    tallying = expected.tallying
    left_out = [name for name in tallying.second_fields if name not in values]
    if left_out and len(left_out) < len(tallying.second_fields):
        raise InputError(left_out[0], "missing", "must be there where the other sums of second order are")
    # What is left out here is not known, which is not 0.
    sums += [
        math.nan if name in left_out else read_number(name, values[name], expected.decimal)
        for name in tallying.fields[1:]
    ]
    sums += [
        read_number(name, values[name], expected.decimal) if values.get(name) and not left_out else math.nan
        for name in tallying.third_fields
    ]
    if left_out:
        return key, tuple(sums), length
    try:
        expected.tallying.check_sums(sums)
    except InputError as problem:
        problem.field = _AS_WRITTEN.get(problem.field, problem.field)
        raise
    return key, tuple(sums), length


def refuse_repeated(cells: Sequence[str], line: int, so_far: dict[int, int]) -> None:
    """Raise InputError for a row that is the same in all its cells as one before; ``so_far`` are their lines by a hash of 64
    bits, since a file may have millions of rows."""
    first = so_far.setdefault(_hash_of(cells), line)
    if first != line:
        raise InputError("row", f"line {line}", f"is the same as line {first}, and would count twice")


def _hash_of(cells: Sequence[str]) -> int:
    return hash(_APART.join(cells))


def refuse_surplus(cells: Sequence[str], expected: Expected) -> None:
    """Raise InputError for a row with more cells than the header has: a number with commas is taken apart by them."""
    if len(cells) > expected.width and any(cell.strip() for cell in cells[expected.width :]):
        raise InputError(
            "row",
            f"{len(cells)} cells",
            f"has more than the header’s {expected.width}; put numbers with commas in quotes",
        )


_AS_WRITTEN = {"total_of_squares": "squares", "total_of_cubes": "cubes"}


def count_in(field_name: str, text: str, decimal: DecimalMark | None) -> int:
    """A count as files write it. Raises InputError for what is none, a rate with a sentence of its own."""
    if len(text) <= MAX_NUMBER_LENGTH and text.isascii() and text.isdigit():  # as nearly every row has it
        return read_count(field_name, int(text))
    try:
        number = read_number(field_name, text, decimal)
    except InputError as problem:
        if problem.rule.endswith(ASK_MARK):
            raise
        return read_count(field_name, text)  # which has a sentence for what is no count, and for a rate
    return read_count(field_name, number)


def day_in(text: str, expected: Expected, field_name: str = "day", *, or_week: bool = False) -> date:
    """A day as files write it, of a week its last, where weeks may be given. Raises InputError for what is none, or lies outside
    the expected days."""
    try:
        week = _WEEK.match(text) if or_week else None
        result = check_day(field_name, _last_of(week) if week else _parsed_day(text, expected.day_first))
    except InputError as problem:
        problem.field = field_name
        raise
    return expected.span.check(field_name, text, result)


def _last_of(week: re.Match[str]) -> date:
    try:
        return date.fromisocalendar(int(week[1]), int(week[2]), 7)
    except ValueError as problem:
        raise InputError("day", week[0], "is no week of the calendar; write it as 2026-W14") from problem


def _parsed_day(text: str, day_first: bool | None) -> date:
    try:
        if match := _ISO.match(text):
            return date(int(match[1]), int(match[2]), int(match[3]))
        if match := _DAY_FIRST.match(text):
            return date(int(match[3]), int(match[2]), int(match[1]))
        if match := _SLASHED.match(text):
            if day_first is None:
                raise InputError("day", text, "may be day/month or month/day; write it as 2026-03-31")
            day, month = (1, 2) if day_first else (2, 1)
            return date(int(match[3]), int(match[month]), int(match[day]))
    except ValueError as problem:
        if isinstance(problem, InputError):
            raise
        raise InputError("day", text, "is no day of the calendar; write it as 2026-03-31") from problem
    raise InputError("day", text or "empty", "must be a day, written as 2026-03-31")


def _wrong(line: int, cells: Sequence[str], expected: Expected, problem: InputError) -> WrongRow:
    index = expected.columns.get(problem.field)
    value = cells[index].strip() if index is not None and index < len(cells) else ""
    return WrongRow(line, problem.field, value[:80], str(problem)[:300])
