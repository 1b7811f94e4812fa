"""Statements that are written out, because every event passes through them; SQLite's JSON takes lists of any length."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.db import connection

# A list is handed over as one JSON text.
IN = "IN (SELECT value FROM json_each(%s))"


def rows(statement: str, *values: Any) -> list[tuple[Any, ...]]:
    """What a query returns."""
    with connection.cursor() as cursor:
        cursor.execute(statement, values)
        return cursor.fetchall()


def run_many(statement: str, lines: Sequence[Sequence[Any]]) -> None:
    """Run a statement once a line."""
    with connection.cursor() as cursor:
        cursor.executemany(statement, lines)
