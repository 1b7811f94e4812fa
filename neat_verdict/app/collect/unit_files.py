"""Files with a row a unit (CSV or Parquet), reduced to daily sums by DuckDB, in bounded memory."""

from __future__ import annotations

import hashlib
import math
import re
from collections import defaultdict
from collections.abc import Collection, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import date
from itertools import zip_longest
from pathlib import Path
from typing import TYPE_CHECKING, Any

import duckdb
import numpy as np
from numpy.typing import NDArray

from neat_verdict.app.collect.days import Span
from neat_verdict.app.collect.recount import MAX_SEGMENT_LENGTH
from neat_verdict.app.collect.unit_numbers import Marks, marks_of, number_of, wrong_number
from neat_verdict.app.experiments.exact_tallies import MILLION, SCALE, as_floats
from neat_verdict.core.checks import InputError
from neat_verdict.core.metrics import ALL_COLUMNS, THIRD_ORDER, Tallying
from neat_verdict.core.numbers import DecimalMark
from neat_verdict.core.statistics.histogram import BUCKETS, PART_BITS, TOP_BITS
from neat_verdict.core.traffic import NeverCounted

if TYPE_CHECKING:
    from collections.abc import Iterator

Units = NDArray[np.uint64]

MEMORY = "512MB"
UNIT_HASH = "md5_number_lower"  # the last half of RFC 1321's digest, whatever version of DuckDB reads the file
UNITS_KEPT = 1_000_000  # of a file; of a larger one a share of one in 2, 4, 8 …
NOBODY = NeverCounted()
WRONG_SHOWN, REPEATED_SHOWN = 50, 5
_WHOLE = {"BOOLEAN", "TINYINT", "SMALLINT", "INTEGER", "UTINYINT", "USMALLINT", "UINTEGER"}
_AND = " || ' & ' || "
_MAX_VALUE = 1e12  # of a value, so that its square in millionths fits a whole number of 128 bits


@dataclass(frozen=True, slots=True)
class Measured:
    """A metric of the file: its id, how it is counted, its columns, and the most a unit
    may count."""

    metric: int
    name: str
    tallying: Tallying
    columns: tuple[str, ...]
    caps: tuple[float | None, ...]

    @property
    def at_cap(self) -> str:
        """SQL that holds of a unit that reached its cap; empty where nothing is capped. What came before is not asked."""
        asked = self.caps[: self.tallying.capped_values]
        reached = [
            f"m{self.metric}_{number} >= {round(cap * MILLION)}" for number, cap in enumerate(asked) if cap is not None
        ]
        return " OR ".join(reached)


@dataclass(frozen=True, slots=True)
class WrongUnit:
    """A row that cannot be counted."""

    unit: str
    variant: str
    day: str
    reason: str


@dataclass(frozen=True, slots=True)
class Reduced:
    """What a file comes to. ``sums`` by (metric, position, segment, day): the columns of a tally. ``rows`` are those without the
    ids that are never counted."""

    rows: int
    never_counted: int
    wrong_count: int
    wrong: tuple[WrongUnit, ...]
    repeated: int
    repeated_units: tuple[str, ...]
    first_day: date | None
    last_day: date | None
    measured: tuple[Measured, ...]
    ignored: tuple[str, ...]
    sums: Mapping[tuple[int, int, str, date], Mapping[str, float | None]]
    marks: Marks
    # Hashes of the units by position and day, of a large file of those alone that ``units_every`` divides.
    units: Mapping[tuple[int, date], Units]
    units_every: int


def hash_of_unit(unit: str) -> int:
    """What `UNIT_HASH` makes of a unit."""
    return int.from_bytes(hashlib.md5(unit.encode(), usedforsecurity=False).digest()[8:], "little")


def normal(name: str) -> str:
    """A column's name as it is compared: "Fare per visitor" and fare-per-visitor are fare_per_visitor."""
    return re.sub(r"[^\w]+", "_", name.strip().lower()).strip("_")


@dataclass(frozen=True, slots=True)
class Torn:
    """Rows of a CSV with more or fewer cells than its header: how many, and the first of them."""

    count: int
    shown: tuple[WrongUnit, ...]


@contextmanager
def opened(path: Path, zone: str) -> Iterator[tuple[duckdb.DuckDBPyConnection, dict[str, str], Torn]]:
    """A connection with the file's rows as the view ``given``, all as text or as they are; columns by their normal name; and the
    torn rows of a CSV, which are not in the view. Moments are on their day in the time ``zone``.

    Raises InputError for a file that is neither Parquet nor CSV.
    """
    connection = duckdb.connect(config={"memory_limit": MEMORY, "threads": 2, "autoinstall_known_extensions": "false"})
    try:
        connection.execute("SET TimeZone = $zone", {"zone": zone})
        with path.open("rb") as file:
            parquet = file.read(4) == b"PAR1"
        try:
            torn = Torn(0, ()) if parquet else _torn(connection, path)
            result = (
                connection.read_parquet(str(path))
                if parquet
                else connection.read_csv(str(path), header=True, all_varchar=True, ignore_errors=True)
            )
            result.create_view("given")
            columns = {normal(name): name for name in result.columns}
        except duckdb.Error as problem:
            kind = "Parquet" if parquet else "CSV with a header"
            raise InputError("file", path.name[-40:], f"cannot be read as {kind}: {_first_line(problem)}") from problem
        yield connection, columns, torn
    finally:
        connection.close()


def _torn(connection: duckdb.DuckDBPyConnection, path: Path) -> Torn:
    """What the reader puts aside in one passage through the file."""
    every = connection.read_csv(str(path), header=True, all_varchar=True, store_rejects=True)
    every.count("*").fetchall()
    width = len(every.columns)
    count = int(_one(connection, "SELECT count(DISTINCT line) FROM reject_errors"))
    lines = connection.execute(
        f"""SELECT line, any_value(csv_line), any_value(error_type) FROM reject_errors GROUP BY line ORDER BY line
            LIMIT {WRONG_SHOWN}"""
    ).fetchall()
    return Torn(
        count,
        tuple(
            WrongUnit(
                str(text or "").strip()[:80], "", "", f"line {line} {_TORN.get(str(kind), 'cannot be read')} ({width})"
            )
            for line, text, kind in lines
        ),
    )


_TORN = {
    "MISSING COLUMNS": "has fewer cells than the header",
    "TOO MANY COLUMNS": "has more cells than the header; put numbers with commas in quotes",
}


def _first_line(problem: Exception) -> str:
    return str(problem).strip().splitlines()[0][:200]


def _quoted(name: str) -> str:
    return '"' + name.replace('"', '""') + '"'


def _text(value: str) -> str:
    return "'" + value.replace("'", "''") + "'"


def reduce_units(
    path: Path,
    variants: Mapping[str, int],
    measures: Sequence[Measured],
    segments: Sequence[Sequence[str]],
    span: Span,
    *,
    zone: str = "UTC",
    never_counted: NeverCounted = NOBODY,
    check_repeated: bool = True,
    decimal: DecimalMark | None = None,
) -> Reduced:
    """Reduce a file of units.

    Parameters
    ----------
    variants : mapping
        Accepted spellings, in small letters, to positions.
    measures : sequence of Measured
        Metrics with the columns they would have; those whose columns the file has not are left out.
    segments : sequence
        Properties, or pairs, that are kept; those the file has not are left out.
    span : Span
        Days that rows may be of; others are wrong.
    zone : str
        By which the day of a moment goes.
    never_counted : NeverCounted
        Whose rows are left out: by id, and by properties that are columns of the file.
    decimal : "." or ",", optional
        The mark before decimals in columns of text; where it is not given, that which the numbers show.

    Raises
    ------
    InputError
        Without the columns unit, variant and day (or exposed_at), without any metric, or where numbers are written in two ways.
    """
    with opened(path, zone) as (connection, columns, torn):
        day = columns.get("day") or columns.get("exposed_at") or columns.get("date")
        for field, column in (("unit", columns.get("unit")), ("variant", columns.get("variant")), ("day", day)):
            if column is None:
                raise InputError(
                    field, "missing", f"must be a column; the file has {', '.join(columns.values())}"[:300]
                )
        left_out = _leave_out(connection, columns, never_counted)
        present = [m for m in measures if all(normal(column) in columns for column in m.columns)]
        if not present:
            wanted = ", ".join(column for m in measures for column in m.columns)
            raise InputError("metrics", "missing", f"must be at least one column of {wanted}")
        kept = [line for line in segments if all(normal(name) in columns for name in line)]
        try:
            types = {row[0]: str(row[1]) for row in connection.execute("DESCRIBE given").fetchall()}
            marks = marks_of(connection, _written(columns, present, types), decimal)
            given = _expressions(columns, types, str(day), present, kept, marks)
            rows, wrong, repeated, sums = _collect(
                connection, given, variants, present, span, check_repeated=check_repeated
            )
            every = 2 ** max(math.ceil(math.log2(max(rows, 1) / UNITS_KEPT)), 0)
            units = _units(connection, given, variants, every, {(position, on) for _, position, _, on in sums})
            shown = _wrong_rows(connection, given, variants, span) if wrong else ()
            named = _repeated_units(connection, given) if repeated else ()
        except duckdb.Error as problem:
            raise InputError("file", path.name[-40:], f"cannot be read to its end: {_first_line(problem)}") from problem
    used = {"unit", "variant", normal(str(day))} | {normal(c) for m in present for c in m.columns}
    used |= {normal(name) for line in kept for name in line}
    days = {on for _, _, _, on in sums}
    return Reduced(
        rows=rows + torn.count,
        never_counted=left_out,
        wrong_count=wrong + torn.count,
        wrong=(*torn.shown, *shown)[:WRONG_SHOWN],
        repeated=repeated,
        repeated_units=named,
        first_day=min(days, default=None),
        last_day=max(days, default=None),
        measured=tuple(present),
        ignored=tuple(name for key, name in columns.items() if key not in used),
        sums=sums,
        marks=marks,
        units=units,
        units_every=every,
    )


def _written(columns: Mapping[str, str], measures: Sequence[Measured], types: Mapping[str, str]) -> list[str]:
    """The columns of text that hold amounts."""
    names = [columns[normal(one)] for m in measures if not m.tallying.arm.converts for one in m.columns]
    return [_quoted(name) for name in dict.fromkeys(names) if types[name] == "VARCHAR"]


def _leave_out(connection: duckdb.DuckDBPyConnection, columns: Mapping[str, str], never: NeverCounted) -> int:
    """Take the rows of who is never counted out of ``given``; returns how many there were."""
    names = {condition.attribute for group in never.groups for condition in group.conditions}
    asked = {name: f"CAST({_quoted(columns[normal(name)])} AS VARCHAR)" for name in names if normal(name) in columns}
    wanted = []
    if never.units:
        wanted.append(f"CAST({_quoted(columns['unit'])} AS VARCHAR) IN ({', '.join(map(_text, sorted(never.units)))})")
    if asked:
        known = connection.execute(f"SELECT DISTINCT {', '.join(asked.values())} FROM given").fetchall()
        for values in known:
            if never.matches(dict(zip(asked, values, strict=True))):
                pairs = zip(asked.values(), values, strict=True)
                wanted.append(" AND ".join(f"{c} IS NULL" if v is None else f"{c} = {_text(v)}" for c, v in pairs))
    if not wanted:
        return 0
    named = " OR ".join(f"({one})" for one in wanted)
    left_out = int(_one(connection, f"SELECT count(*) FROM given WHERE {named}"))
    connection.execute("ALTER VIEW given RENAME TO everybody")
    connection.execute(f"CREATE TEMP VIEW given AS SELECT * FROM everybody WHERE ({named}) IS NOT TRUE")
    return left_out


@dataclass(frozen=True, slots=True)
class _Given:
    """The file's columns as expressions over the view ``given``."""

    unit: str
    variant: str
    day: str
    # By metric and column: the value (nothing is 0, of a quantile null), and what makes a row wrong with the reason.
    values: tuple[tuple[tuple[str, str, str], ...], ...]
    segments: tuple[str, ...]


def _expressions(
    columns: Mapping[str, str],
    types: Mapping[str, str],
    day: str,
    measures: Sequence[Measured],
    segments: Sequence[Sequence[str]],
    marks: Marks,
) -> _Given:
    raw_day = _quoted(day)
    is_text = types[day] == "VARCHAR"
    return _Given(
        unit=f"CAST({_quoted(columns['unit'])} AS VARCHAR)",
        variant=_quoted(columns["variant"]),
        # A moment with its offset, as text or of the file's own type, is on the day that it is in the zone.
        day=_day_of_text(raw_day) if is_text else f"CAST({raw_day} AS DATE)",
        values=tuple(
            tuple(
                _value(m, column, columns[normal(column)], types[columns[normal(column)]], marks)
                for column in m.columns
            )
            for m in measures
        ),
        segments=tuple(
            f"left({_AND.join(_segment(name, columns) for name in line)}, {MAX_SEGMENT_LENGTH})" for line in segments
        ),
    )


def _day_of_text(raw: str) -> str:
    moment = f"TRY_CAST(trim({raw}) AS TIMESTAMPTZ)"
    offset = f"regexp_matches(trim({raw}), '[T ].*(Z|[+-][0-9]{{2}}(:?[0-9]{{2}})?)$')"
    return (
        f"CASE WHEN {offset} THEN coalesce(strftime(CAST({moment} AS DATE), '%Y-%m-%d'), trim({raw})) "
        f"ELSE left(trim({raw}), 10) END"
    )


def _segment(name: str, columns: Mapping[str, str]) -> str:
    text = f"replace(CAST({_quoted(columns[normal(name)])} AS VARCHAR), ' & ', ' and ')"
    shown = f"coalesce(nullif({text}, ''), '(not known)')"
    return f"{_text(name + '=')} || {shown}"


def _value(m: Measured, column: str, name: str, kind: str, marks: Marks) -> tuple[str, str, str]:
    """A column's value as a number, when it is wrong, and why."""
    raw = _quoted(name)
    empty, nothing = f"{raw} IS NULL", "NULL" if m.tallying.buckets else "0"
    if kind in _WHOLE:
        value = f"coalesce(CAST({raw} AS BIGINT), {nothing})"
    elif kind == "VARCHAR":
        empty = f"({empty} OR trim({raw}) = '')"
        number = f"coalesce({number_of(raw, marks)}, CAST(TRY_CAST({raw} AS BOOLEAN) AS DOUBLE))"
        value = f"CASE WHEN {empty} THEN CAST({nothing} AS DOUBLE) ELSE {number} END"
    else:
        value = f"coalesce(CAST({raw} AS DOUBLE), CAST({nothing} AS DOUBLE))"
    # NaN is greater than everything here, so one comparison finds it too; what is no number is null.
    if m.tallying.arm.converts:
        unfit = f"({value}) NOT BETWEEN 0 AND 1" if kind in _WHOLE else f"coalesce(({value}) NOT IN (0, 1), true)"
        return value, unfit, f"{column} must be 0 or 1"
    unfit = "false" if kind in _WHOLE else f"coalesce(abs({value}) > {_MAX_VALUE!r}, true)"
    if m.tallying.buckets:
        unfit = f"NOT {empty} AND {unfit}"
    return value, unfit, wrong_number(column, marks)


def _collect(
    connection: duckdb.DuckDBPyConnection,
    given: _Given,
    variants: Mapping[str, int],
    measures: Sequence[Measured],
    span: Span,
    *,
    check_repeated: bool,
) -> tuple[int, int, int, dict[tuple[int, int, str, date], Mapping[str, float | None]]]:
    """Rows, how many of them are wrong, how many repeat a unit, and the sums."""
    rows = int(_one(connection, "SELECT count(*) FROM given"))
    nameless = repeated = 0
    if check_repeated:
        named, units = connection.execute(
            f"SELECT count(nullif({given.unit}, '')), count(DISTINCT nullif({given.unit}, '')) FROM given"
        ).fetchall()[0]
        nameless, repeated = rows - named, named - units
    bad = _bad(given)
    if nameless:
        bad += f" OR coalesce({given.unit}, '') = ''"
    keys = [f"s{number}" for number in range(len(given.segments))]
    fields = [f"{given.variant} AS variant", f"{given.day} AS day"]
    fields += [f"{text} AS {key}" for key, text in zip(keys, given.segments, strict=True)]
    for m, columns in zip(measures, given.values, strict=True):
        for number, ((value, _, _), cap) in enumerate(zip(columns, m.caps, strict=True)):
            name = f"m{m.metric}_{number}"
            if m.tallying.arm.converts:
                fields.append(f"CAST({value} AS BIGINT) * {MILLION} AS {name}")
            else:
                fields.append(f"CAST(round({_capped(value, cap)} * {MILLION}) AS BIGINT) AS {name}")
    totals = ", ".join(total for m in measures for total in _totals(m))
    sets = ", ".join(["(variant, day)", *(f"(variant, day, {key})" for key in keys)])
    wanted = ", ".join(["variant", "day", *(keys or ["NULL"])])
    good = 0
    exact: dict[tuple[int, int, str, date], list[int]] = {}
    for variant, day, *rest in connection.execute(
        f"""SELECT {wanted}, count(*), {totals} FROM (SELECT {", ".join(fields)} FROM given WHERE NOT ({bad}))
            GROUP BY GROUPING SETS ({sets})"""
    ).fetchall():
        position, on = variants.get(str(variant or "").strip().lower()), _day(day)
        if position is None or on is None or not span.earliest <= on <= span.latest:
            continue
        segment = next((text for text in rest[: len(keys)] if text is not None), "")
        values = rest[len(keys) or 1 :]
        good += values[0] if segment == "" else 0
        _keep(exact, measures, (position, segment, on), values)
    tallyings = {m.metric: m.tallying for m in measures}
    return rows, rows - good, repeated, {place: as_floats(tallyings[place[0]], sums) for place, sums in exact.items()}


def _units(
    connection: duckdb.DuckDBPyConnection,
    given: _Given,
    variants: Mapping[str, int],
    every: int,
    places: Collection[tuple[int, date]],
) -> dict[tuple[int, date], Units]:
    """Hashes of the units that are counted, by position and day."""
    found: dict[tuple[int, date], list[Units]] = defaultdict(list)
    rows = connection.execute(
        f"""SELECT variant, day, list(hash) AS hashes FROM (
                SELECT {given.variant} AS variant, {given.day} AS day, {UNIT_HASH}({given.unit}) AS hash
                FROM given WHERE NOT ({_bad(given)}) AND coalesce({given.unit}, '') <> '')
            WHERE hash % {every} = 0 GROUP BY variant, day"""
    ).fetchnumpy()
    for variant, day, hashes in zip(rows["variant"], rows["day"], rows["hashes"], strict=True):
        position, on = variants.get(str(variant or "").strip().lower()), _day(day)
        if position is not None and on is not None and (position, on) in places:
            found[position, on].append(np.asarray(hashes, np.uint64))
    return {place: np.unique(np.concatenate(parts)) for place, parts in found.items()}


def units_named(path: Path, hashes: Collection[int], zone: str) -> tuple[str, ...]:
    """The units of a file that have these hashes, as they are written there."""
    with opened(path, zone) as (connection, columns, _):
        unit = f"CAST({_quoted(columns['unit'])} AS VARCHAR)"
        wanted = ", ".join(str(int(one)) for one in hashes)
        found = connection.execute(
            f"SELECT DISTINCT {unit} FROM given WHERE {UNIT_HASH}({unit}) IN ({wanted}) ORDER BY 1"
        ).fetchall()
    return tuple(str(one)[:80] for (one,) in found)


def _bad(given: _Given) -> str:
    """SQL that holds of a row with a value that is wrong."""
    return " OR ".join(wrong for columns in given.values for _, wrong, _ in columns)


def _day(value: Any) -> date | None:
    try:
        return value if isinstance(value, date) else date.fromisoformat(str(value))
    except ValueError:
        return None


def _wrong_rows(
    connection: duckdb.DuckDBPyConnection,
    given: _Given,
    variants: Mapping[str, int],
    span: Span,
) -> tuple[WrongUnit, ...]:
    """The first of the rows that are left out, each with its reason."""
    names = ", ".join(_text(name) for name in variants)
    reasons = [
        f"WHEN coalesce({given.unit}, '') = '' THEN 'unit is empty'",
        f"WHEN coalesce(lower(trim(CAST({given.variant} AS VARCHAR))), '') NOT IN ({names}) "
        "THEN 'the variant is not one of the experiment''s'",
        f"WHEN TRY_CAST({given.day} AS DATE) IS NULL THEN 'the day is none; write it as 2026-03-31'",
        f"WHEN TRY_CAST({given.day} AS DATE) > DATE '{span.latest.isoformat()}' THEN 'the day lies in the future'",
        f"WHEN TRY_CAST({given.day} AS DATE) < DATE '{span.earliest.isoformat()}' THEN {_text('the day ' + span.too_early)}",
        *(f"WHEN {wrong} THEN {_text(reason)}" for columns in given.values for _, wrong, reason in columns),
    ]
    shown = connection.execute(
        f"""SELECT * FROM (SELECT {given.unit}, CAST({given.variant} AS VARCHAR), CAST({given.day} AS VARCHAR),
                CASE {" ".join(reasons)} END AS wrong FROM given) WHERE wrong IS NOT NULL LIMIT {WRONG_SHOWN}"""
    ).fetchall()
    return tuple(
        WrongUnit(str(unit or "")[:80], str(variant or "")[:80], str(on or "")[:80], reason)
        for unit, variant, on, reason in shown
    )


def _repeated_units(connection: duckdb.DuckDBPyConnection, given: _Given) -> tuple[str, ...]:
    """Some of the units with more than one row, those with the most first."""
    found = connection.execute(
        f"""SELECT {given.unit} AS unit FROM given WHERE coalesce({given.unit}, '') <> ''
            GROUP BY unit HAVING count(*) > 1 ORDER BY count(*) DESC, unit LIMIT {REPEATED_SHOWN}"""
    ).fetchall()
    return tuple(str(unit)[:80] for (unit,) in found)


def _capped(name: str, cap: float | None) -> str:
    return name if cap is None else f"least({name}, {cap!r})"


def _one(connection: duckdb.DuckDBPyConnection, query: str) -> Any:
    row = connection.execute(query).fetchone()
    return row[0] if row else 0


def _totals(m: Measured) -> list[str]:
    """A metric's columns in the order of the exact sums; then who was capped, or how many are in each bucket."""
    first, second = f"m{m.metric}_0", f"m{m.metric}_1"
    if m.tallying.buckets:
        return [f"count({first}) * {MILLION}", f"histogram({_bucket(first)}) FILTER (WHERE {first} IS NOT NULL)"]
    every = {
        "total": f"sum({first})",
        "squares": f"sum(CAST({first} AS HUGEINT) * {first})",
        "second_total": f"sum({second})",
        "second_squares": f"sum(CAST({second} AS HUGEINT) * {second})",
        "cross": f"sum(CAST({first} AS HUGEINT) * {second})",
        # Cubes may pass 128 bits; they tell a shape, for which the digits of a sum in floating point are more than enough.
        **{column: f"fsum({product})" for column, product in zip(THIRD_ORDER, _products(first, second), strict=True)},
    }
    result = [total for column, total in every.items() if column in m.tallying.columns]
    return [*result, f"count(*) FILTER (WHERE {m.at_cap})"] if m.at_cap else result


def _bucket(value: str) -> str:
    """The bucket of a value in whole millionths, as `core.statistics.histogram` has it."""
    whole = f"least(greatest({value}, 0), {2**TOP_BITS})"
    doublings = f"greatest(length(bin({whole})) - {PART_BITS + 1}, 0)"
    return f"least({2**PART_BITS} * {doublings} + ({whole} >> {doublings}), {BUCKETS - 1})"


def _products(first: str, second: str) -> list[str]:
    """The products of third order, in the order of their columns."""
    y, x = f"({first} / {MILLION}.0::DOUBLE)", f"({second} / {MILLION}.0::DOUBLE)"
    return [f"{y} * {y} * {y}", f"{y} * {y} * {x}", f"{y} * {x} * {x}", f"{x} * {x} * {x}"]


def _keep(
    exact: dict[tuple[int, int, str, date], list[int]],
    measures: Sequence[Measured],
    place: tuple[int, str, date],
    values: Sequence[Any],
) -> None:
    """Add a group's sums to those of its place; a variant may be spelt in several ways."""
    units, *rest = values
    at = 0
    for m in measures:
        mine = [column for column in ALL_COLUMNS[1:] if column in m.tallying.columns]
        sums = dict(zip(mine, rest[at : at + len(mine)], strict=True))
        added = [int(units), *(_exact(column, sums.get(column, 0)) for column in ALL_COLUMNS[1:])]
        at += len(mine)
        if m.at_cap:
            added.append(int(rest[at]))
            at += 1
        if m.tallying.buckets:
            # DuckDB's maps are dictionaries, and null where there is nothing.
            counts: Mapping[int, int] = rest[at] or {}
            added += [counts.get(bucket, 0) for bucket in range(max(counts, default=-1) + 1)]
            at += 1
        before = exact.get((m.metric, *place), [])
        exact[(m.metric, *place)] = [old + new for old, new in zip_longest(before, added, fillvalue=0)]


def _exact(column: str, value: float) -> int:
    """A sum as a whole number; those of third order are not summed as such."""
    return round(value * SCALE[column]) if column in THIRD_ORDER else int(value)
