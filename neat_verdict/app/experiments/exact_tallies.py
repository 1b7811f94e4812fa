"""Tallies as whole numbers of millionths, changed by differences; what is added and taken away again leaves no trace."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from itertools import zip_longest
from typing import Any

from neat_verdict.app.sql import IN, rows, run_many
from neat_verdict.core.metrics import ALL_COLUMNS, THIRD_ORDER, Tallying

MILLION = 1_000_000
SUMS = len(ALL_COLUMNS)  # of a cell; the counts of steps follow, or of the units that reached the cap

SCALE = {
    "total": MILLION,
    "second_total": MILLION,
    **dict.fromkeys(("squares", "second_squares", "cross"), MILLION**2),
    **dict.fromkeys(THIRD_ORDER, MILLION**3),
}

# Where units are tallied: variant's position, segment, day (ISO), metric's id.
Cell = tuple[int, str, str, str]

_UPSERT = """INSERT INTO experiments_tally
    (variant_id, metric_id, round, segment, day, units, total, squares, second_total, second_squares, "cross", cubes,
     squares_cross, cross_squares, second_cubes, steps, capped, exact)
    VALUES (%s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s)
    ON CONFLICT (variant_id, metric_id, round, segment, day) DO UPDATE SET units = excluded.units, total = excluded.total,
        squares = excluded.squares, second_total = excluded.second_total,
        second_squares = excluded.second_squares,
        "cross" = excluded."cross", cubes = excluded.cubes, squares_cross = excluded.squares_cross,
        cross_squares = excluded.cross_squares, second_cubes = excluded.second_cubes,
        steps = excluded.steps, capped = excluded.capped, exact = excluded.exact"""


def as_floats(tallying: Tallying, exact: Sequence[int | None]) -> dict[str, Any]:
    """The columns of a tally from its exact sums, each rounded once; ``steps`` and ``capped`` are whole numbers."""
    result: dict[str, Any] = dict.fromkeys((*ALL_COLUMNS, "steps", "capped"))
    for column, value in zip(ALL_COLUMNS, exact, strict=False):
        if column in tallying.columns and value is not None:
            result[column] = value / SCALE[column] if column in SCALE else value
    if tallying.capped_values:
        result["capped"] = next(iter(exact[SUMS:]), None)
    else:
        result["steps"] = list(exact[SUMS:]) or ([0] if tallying.buckets else None)
    return result


def change_tallies(
    variants: Sequence[int], round_number: int, tallyings: Mapping[str, Tallying], changes: Mapping[Cell, Sequence[int]]
) -> None:
    """Add changes to the tallies of a round; a metric whose sums came in by file is left alone, and empty cells go.

    ``variants`` are ids by position, ``tallyings`` by a metric's id as text. Called inside a transaction.
    """
    if not changes:
        return
    metrics = [int(metric) for metric in tallyings]
    by_file = {
        row[0]
        for row in rows(
            f"""SELECT DISTINCT metric_id FROM experiments_tally
                WHERE variant_id {IN} AND metric_id {IN} AND round = %s AND segment = '' AND exact IS NULL""",
            json.dumps(list(variants)),
            json.dumps(metrics),
            round_number,
        )
    }
    present = _present(variants, round_number, sorted({day for _, _, day, _ in changes}))
    kept, emptied = [], []
    for (position, segment, day, metric_id), change in changes.items():
        variant, metric = variants[position], int(metric_id)
        place = (variant, metric, segment, day)
        if metric in by_file or not any(change):
            continue
        counted = json.loads(present[place]) if place in present else [0] * SUMS
        if place in present and tallyings[metric_id].capped_values:
            # Counted before it was asked who reached the cap: that stays unknown until the tallies are rebuilt.
            change = change[: len(counted)]
        # So does what was counted before sums of third order were kept.
        exact = [None if old is None else old + new for old, new in zip_longest(counted, change, fillvalue=0)]
        if tallyings[metric_id].buckets:
            while len(exact) > SUMS and not exact[-1]:
                exact.pop()
        if exact[0] == 0:
            emptied.append((variant, metric, round_number, segment, day))
        else:
            kept.append(_line(variant, metric, round_number, segment, day, tallyings[metric_id], exact))
    run_many(_UPSERT, kept)
    run_many(
        """DELETE FROM experiments_tally WHERE variant_id = %s AND metric_id = %s AND round = %s AND segment = %s AND day = %s""",
        emptied,
    )


def _present(variants: Sequence[int], round_number: int, days: Sequence[str]) -> dict[tuple[int, int, str, str], str]:
    result = rows(
        f"""SELECT variant_id, metric_id, segment, day, exact FROM experiments_tally
            WHERE round = %s AND variant_id {IN} AND day {IN}""",
        round_number,
        json.dumps(list(variants)),
        json.dumps(days),
    )
    return {(row[0], row[1], row[2], str(row[3])): row[4] for row in result}


def _line(
    variant: int,
    metric: int,
    round_number: int,
    segment: str,
    day: str,
    tallying: Tallying,
    exact: Sequence[int | None],
) -> tuple[Any, ...]:
    figures = as_floats(tallying, exact)
    sums = (figures[name] for name in ALL_COLUMNS)
    steps = json.dumps(figures["steps"]) if figures["steps"] else None
    return (variant, metric, round_number, segment, day, *sums, steps, figures["capped"], json.dumps(exact))


def clear_tallies(variants: Sequence[int], round_number: int) -> None:
    """Forget what has been tallied of a round's events; sums that came in by file stay."""
    run_many(
        f"DELETE FROM experiments_tally WHERE round = %s AND variant_id {IN} AND exact IS NOT NULL",
        [(round_number, json.dumps(list(variants)))],
    )
