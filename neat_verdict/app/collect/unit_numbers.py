"""Numbers in files of units as DuckDB reads them: the decimal mark of a whole file, decided by `core.numbers`."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import duckdb

from neat_verdict.core.numbers import ASK_MARK, MARKS, DecimalMark, decimal_mark

# So many numbers with a mark are looked at before all of them are: most files show their mark in the first.
_LOOKED_AT = 10_000


@dataclass(frozen=True, slots=True)
class Marks:
    """How a file of units writes its numbers. ``decimal`` is None where none of them has a mark, or (``is_open``) where they do
    not show which it is."""

    decimal: DecimalMark | None = None
    is_open: bool = False


def marks_of(connection: duckdb.DuckDBPyConnection, columns: Sequence[str], chosen: DecimalMark | None = None) -> Marks:
    """By all numbers of text ``columns`` (SQL names) of the view ``given``; ``chosen`` is what a person said.

    Raises InputError where they are written in two ways.
    """
    if chosen is not None or not columns:
        return Marks(chosen)
    held = ", ".join(f"coalesce(bool_or(contains({one}, '{mark}')), false)" for one in columns for mark in MARKS)
    seen = connection.execute(f"SELECT {held} FROM given").fetchone() or ()
    used = [mark for place, mark in enumerate(MARKS) if any(seen[place :: len(MARKS)])]
    if not used:
        return Marks()
    found = None
    if len(used) == 1:
        found = decimal_mark(_texts(connection, columns, f"LIMIT {_LOOKED_AT}"))
    if found is None:
        found = decimal_mark(_texts(connection, columns, ""))
    return Marks(found, is_open=found is None)


def _texts(connection: duckdb.DuckDBPyConnection, columns: Sequence[str], limit: str) -> list[tuple[str, bool]]:
    """Numbers with a mark, all digits but 0 as 9: that is all that shows the mark, and leaves few that differ."""
    rows: list[Any] = []
    for one in columns:
        marked = f"SELECT {one} AS t FROM given WHERE contains({one}, '.') OR contains({one}, ',') {limit}"
        rows += connection.execute(
            f"SELECT DISTINCT translate(trim(t), '12345678', '99999999') FROM ({marked})"
        ).fetchall()
    return [(text, False) for (text,) in rows]


def number_of(raw: str, marks: Marks) -> str:
    """SQL of a text column as a number; null where it is none, or may be read in two ways."""
    plain = f"TRY_CAST({raw} AS DOUBLE)"
    text = f"trim({raw})"
    marked = f"(contains({raw}, '.') OR contains({raw}, ','))"
    if marks.is_open:
        return f"CASE WHEN {marked} THEN NULL ELSE {plain} END"
    if marks.decimal is None:
        return plain
    thousands = next(mark for mark in MARKS if mark != marks.decimal)
    if marks.decimal == ".":
        marked = f"contains({raw}, ',')"
    pattern = rf"[+-]?(\d{{1,3}}([{thousands}]\d{{3}})+|\d*)([{marks.decimal}]\d+)?([eE][+-]?\d{{1,3}})?"
    read = f"TRY_CAST(replace(replace({text}, '{thousands}', ''), '{marks.decimal}', '.') AS DOUBLE)"
    return f"CASE WHEN {marked} THEN CASE WHEN regexp_full_match({text}, '{pattern}') THEN {read} END ELSE {plain} END"


def wrong_number(column: str, marks: Marks) -> str:
    """Why a value that is null by `number_of` is wrong."""
    if marks.is_open:
        return f"{column} is no number, or one that may be read in two ways: {ASK_MARK}"
    if marks.decimal == ",":
        return f"{column} must be a number, with “,” before its decimals as elsewhere in the file"
    return f"{column} must be a number"
