"""Files with a row a unit (CSV or Parquet), reduced to daily sums by DuckDB, in bounded memory."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING, Any

import duckdb

from neat_verdict.app.collect.recount import LONGEST_SEGMENT, MILLION, as_floats
from neat_verdict.core.checks import InputError

if TYPE_CHECKING:
    from collections.abc import Iterator

MEMORY = "512MB"
WRONG_SHOWN = 50
_LARGEST = 1e12  # of a value, so that its square in millionths fits a whole number of 128 bits


@dataclass(frozen=True, slots=True)
class Measured:
    """A metric of the file: its id, how it is counted, its column (and that below the line), and the most a unit may count."""

    metric: int
    name: str
    kind: str
    columns: tuple[str, ...]
    caps: tuple[float | None, ...]


@dataclass(frozen=True, slots=True)
class WrongUnit:
    """A row that cannot be counted."""

    unit: str
    variant: str
    day: str
    reason: str


@dataclass(frozen=True, slots=True)
class Reduced:
    """What a file comes to. ``sums`` by (metric, position, segment, day): the columns of a tally."""

    rows: int
    wrong_count: int
    wrong: tuple[WrongUnit, ...]
    repeated: int
    first_day: date | None
    last_day: date | None
    measured: tuple[Measured, ...]
    ignored: tuple[str, ...]
    sums: Mapping[tuple[int, int, str, date], Mapping[str, float | None]]


def normal(name: str) -> str:
    """A column's name as it is compared: "Fare per visitor" and fare-per-visitor are fare_per_visitor."""
    return re.sub(r"[^\w]+", "_", name.strip().lower()).strip("_")


@contextmanager
def opened(path: Path) -> Iterator[tuple[duckdb.DuckDBPyConnection, dict[str, str]]]:
    """A connection with the file's rows as the view ``given``, all as text or as they are; columns by their normal name.

    Raises InputError for a file that is neither Parquet nor CSV.
    """
    connection = duckdb.connect(config={"memory_limit": MEMORY, "threads": 2, "autoinstall_known_extensions": "false"})
    try:
        with path.open("rb") as file:
            parquet = file.read(4) == b"PAR1"
        try:
            found = (
                connection.read_parquet(str(path))
                if parquet
                else connection.read_csv(str(path), header=True, all_varchar=True, null_padding=True)
            )
            found.create_view("given")
            columns = {normal(name): name for name in found.columns}
        except duckdb.Error as problem:
            kind = "Parquet" if parquet else "CSV with a header"
            raise InputError("file", path.name[-40:], f"cannot be read as {kind}: {_first_line(problem)}") from problem
        yield connection, columns
    finally:
        connection.close()


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
    latest: date,
    *,
    check_repeated: bool = True,
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
    latest : date
        A day after this is wrong.

    Raises
    ------
    InputError
        Without the columns unit, variant and day (or exposed_at), or without any metric.
    """
    with opened(path) as (connection, columns):
        day = columns.get("day") or columns.get("exposed_at") or columns.get("date")
        for field, found in (("unit", columns.get("unit")), ("variant", columns.get("variant")), ("day", day)):
            if found is None:
                raise InputError(
                    field, "missing", f"must be a column; the file has {', '.join(columns.values())}"[:300]
                )
        present = [m for m in measures if all(normal(column) in columns for column in m.columns)]
        if not present:
            wanted = ", ".join(column for m in measures for column in m.columns)
            raise InputError("metrics", "missing", f"must be at least one column of {wanted}")
        kept = [line for line in segments if all(normal(name) in columns for name in line)]
        try:
            _make_views(connection, columns, str(day), variants, present, kept, latest)
            return _collect(connection, columns, present, kept, check_repeated=check_repeated)
        except duckdb.Error as problem:
            raise InputError("file", path.name[-40:], f"cannot be read to its end: {_first_line(problem)}") from problem


def _make_views(
    connection: duckdb.DuckDBPyConnection,
    columns: Mapping[str, str],
    day: str,
    variants: Mapping[str, int],
    measures: Sequence[Measured],
    segments: Sequence[Sequence[str]],
    latest: date,
) -> None:
    """``units``: typed rows with the reason why one is wrong."""
    cases = " ".join(f"WHEN {_text(name)} THEN {position}" for name, position in variants.items())
    variant = f"lower(trim(CAST({_quoted(columns['variant'])} AS VARCHAR)))"
    fields = [
        f"CAST({_quoted(columns['unit'])} AS VARCHAR) AS unit",
        f"CAST({_quoted(columns['variant'])} AS VARCHAR) AS variant_text",
        f"CAST({_quoted(day)} AS VARCHAR) AS day_text",
        f"CASE {variant} {cases} END AS position",
        f"TRY_CAST(TRY_CAST({_quoted(day)} AS TIMESTAMP) AS DATE) AS day",
    ]
    reasons = [
        "WHEN unit IS NULL OR unit = '' THEN 'unit is empty'",
        "WHEN position IS NULL THEN 'the variant is not one of the experiment''s'",
        "WHEN day IS NULL THEN 'the day is none; write it as 2026-03-31'",
        f"WHEN day > DATE '{latest.isoformat()}' THEN 'the day lies in the future'",
    ]
    for m in measures:
        for number, column in enumerate(m.columns):
            raw, name = _quoted(columns[normal(column)]), f"m{m.metric}_{number}"
            text = f"trim(CAST({raw} AS VARCHAR))"
            value = f"coalesce(TRY_CAST({raw} AS DOUBLE), CAST(TRY_CAST({raw} AS BOOLEAN) AS DOUBLE))"
            value = f"CASE WHEN {raw} IS NULL OR {text} = '' THEN 0.0 ELSE {value} END"
            fields.append(f"{value} AS {name}")
            wrong = f"{name} IS NULL OR NOT isfinite({name}) OR abs({name}) > {_LARGEST!r}"
            if m.kind == "rate":
                reasons.append(f"WHEN {wrong} OR {name} NOT IN (0, 1) THEN {_text(f'{column} must be 0 or 1')}")
            else:
                reasons.append(f"WHEN {wrong} THEN {_text(f'{column} must be a number')}")
    for number, line in enumerate(segments):
        shown = [
            f"{_text(name + '=')} || coalesce(nullif(CAST({_quoted(columns[normal(name)])} AS VARCHAR), ''), '(not known)')"
            for name in line
        ]
        fields.append(f"left({' ||  &  || '.join(shown)}, {LONGEST_SEGMENT}) AS s{number}")
    connection.execute(f"CREATE VIEW typed AS SELECT {', '.join(fields)} FROM given")
    connection.execute(f"CREATE VIEW units AS SELECT *, CASE {' '.join(reasons)} END AS wrong FROM typed")


def _collect(
    connection: duckdb.DuckDBPyConnection,
    columns: Mapping[str, str],
    measures: Sequence[Measured],
    segments: Sequence[Sequence[str]],
    *,
    check_repeated: bool,
) -> Reduced:
    wrong_count, shown = 0, []
    sums: dict[tuple[int, int, str, date], Mapping[str, float | None]] = {}
    micro = [
        f"CAST(round({_capped(name, cap)} * {MILLION}) AS BIGINT) AS {name}"
        for m in measures
        for name, cap in ((f"m{m.metric}_{number}", cap) for number, cap in enumerate(m.caps))
    ]
    keys = [f"s{number}" for number in range(len(segments))]
    totals = ", ".join(total for m in measures for total in _totals(m))
    sets = ", ".join(["(position, day)", *(f"(position, day, {key})" for key in keys)])
    of = ", ".join(["position", "day", *keys, *micro])
    grouping = ", ".join(["position", "day", *(keys or ["NULL"])])
    rows = 0
    days: set[date] = set()
    for position, day, *rest in connection.execute(
        f"""SELECT {grouping}, count(*), {totals} FROM (SELECT {of} FROM units WHERE wrong IS NULL)
            GROUP BY GROUPING SETS ({sets})"""
    ).fetchall():
        values = rest[len(keys) or 1 :]
        segment = next((text for text in rest[: len(keys)] if text is not None), "")
        rows += values[0] if segment == "" else 0
        days.add(day)
        _keep(sums, measures, (position, segment, day), [int(value) for value in values])
    wrong_count = int(_one(connection, "SELECT count(*) FROM units WHERE wrong IS NOT NULL"))
    if wrong_count:
        shown = connection.execute(
            f"SELECT unit, variant_text, day_text, wrong FROM units WHERE wrong IS NOT NULL LIMIT {WRONG_SHOWN}"
        ).fetchall()
    repeated = 0
    if check_repeated:
        repeated = int(_one(connection, "SELECT count(*) - count(DISTINCT unit) FROM units WHERE wrong IS NULL"))
    used = {"unit", "variant", "day", "exposed_at", "date"} | {normal(c) for m in measures for c in m.columns}
    used |= {normal(name) for line in segments for name in line}
    return Reduced(
        rows=rows + wrong_count,
        wrong_count=wrong_count,
        wrong=tuple(WrongUnit(*(str(cell or "")[:80] for cell in row)) for row in shown),
        repeated=repeated,
        first_day=min(days, default=None),
        last_day=max(days, default=None),
        measured=tuple(measures),
        ignored=tuple(name for key, name in columns.items() if key not in used),
        sums=sums,
    )


def _capped(name: str, cap: float | None) -> str:
    return name if cap is None else f"least({name}, {cap!r})"


def _one(connection: duckdb.DuckDBPyConnection, query: str) -> Any:
    row = connection.execute(query).fetchone()
    return row[0] if row else 0


def _totals(m: Measured) -> list[str]:
    """Sums of a metric's columns in the order of the exact sums: above, its squares, below, its squares, cross."""
    above = f"m{m.metric}_0"
    if m.kind == "rate":
        return [f"sum({above})"]
    found = [f"sum({above})", f"sum(CAST({above} AS HUGEINT) * {above})"]
    if m.kind == "ratio":
        below = f"m{m.metric}_1"
        found += [
            f"sum({below})",
            f"sum(CAST({below} AS HUGEINT) * {below})",
            f"sum(CAST({above} AS HUGEINT) * {below})",
        ]
    return found


def _keep(
    sums: dict[tuple[int, int, str, date], Mapping[str, float | None]],
    measures: Sequence[Measured],
    place: tuple[int, str, date],
    values: list[int],
) -> None:
    units, *rest = values
    at = 0
    for m in measures:
        width = {"rate": 1, "mean": 2, "ratio": 5}[m.kind]
        exact = [units, *rest[at : at + width], *[0] * (5 - width)]
        at += width
        sums[(m.metric, *place)] = as_floats(m.kind, exact)
