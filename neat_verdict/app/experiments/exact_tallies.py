"""Tallies as whole numbers of millionths, changed by differences; what is added and taken away again leaves no trace."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from itertools import zip_longest
from typing import Any, NamedTuple

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
# The same among all experiments: variant, metric, round, segment, day; the key of a tally.
_Place = tuple[int, int, int, str, str]


class RoundChanges(NamedTuple):
    """What changes in the tallies of a round. ``variants`` are ids by position, ``tallyings`` by a metric's id as text."""

    variants: Sequence[int]
    round: int
    tallyings: Mapping[str, Tallying]
    sums: Mapping[Cell, Sequence[int]]


_FIGURES = [f'"{name}"' for name in (*ALL_COLUMNS, "steps", "capped", "exact")]
_INSERT = f"""INSERT INTO experiments_tally ({", ".join(_FIGURES)}, variant_id, metric_id, round, segment, day)
    VALUES ({", ".join(["%s"] * len(_FIGURES))}, %s, %s, %s, %s, %s)"""
_UPDATE = f"""UPDATE experiments_tally SET {", ".join(f"{name} = %s" for name in _FIGURES)} WHERE id = %s"""
_DELETE = "DELETE FROM experiments_tally WHERE id = %s"


_read = json.JSONDecoder().raw_decode  # without what json.loads looks at first


def _written(numbers: list[int | None]) -> str:
    """Whole numbers, of any size, and what is not known, as `json.dumps` has them in ten times the time."""
    return str(numbers).replace("None", "null")


_SCALES = [(column, SCALE.get(column)) for column in ALL_COLUMNS]
_EMPTY: dict[str, Any] = dict.fromkeys((*ALL_COLUMNS, "steps", "capped"))


def as_floats(tallying: Tallying, exact: Sequence[int | None]) -> dict[str, Any]:
    """The columns of a tally from its exact sums, each rounded once; ``steps`` and ``capped`` are whole numbers."""
    result, kept = {**_EMPTY}, tallying.columns
    for (column, scale), value in zip(_SCALES, exact, strict=False):
        if value is not None and column in kept:
            result[column] = value / scale if scale else value
    if tallying.capped_values:
        result["capped"] = next(iter(exact[SUMS:]), None)
    else:
        result["steps"] = list(exact[SUMS:]) or ([0] if tallying.buckets else None)
    return result


def change_tallies(rounds: Sequence[RoundChanges]) -> None:
    """Add changes to the tallies of rounds; a metric whose sums came in by file is left alone, and empty cells go.

    Called inside a transaction. It asks as often for a thousand experiments as for one.
    """
    changes = {
        (one.variants[position], int(metric), one.round, segment, day): (one.tallyings[metric], change)
        for one in rounds
        for (position, segment, day, metric), change in one.sums.items()
        if any(change)
    }
    for place in _counted_by_file(rounds, changes):
        del changes[place]
    if not changes:
        return
    present = _present(list(changes))
    made, changed, emptied = [], [], []
    for place, (tallying, change) in changes.items():
        stored = present.get(place)
        counted = [0] * SUMS if stored is None else _read(stored[1])[0]
        if stored is not None and tallying.capped_values:
            # Counted before it was asked who reached the cap: that stays unknown until the tallies are rebuilt.
            change = change[: len(counted)]
        # So does what was counted before sums of third order were kept.
        exact = [None if old is None else old + new for old, new in zip_longest(counted, change, fillvalue=0)]
        if tallying.buckets:
            while len(exact) > SUMS and not exact[-1]:
                exact.pop()
        if stored is None:
            if exact[0]:
                made.append((*_figures(tallying, exact), *place))
        elif exact[0]:
            changed.append((*_figures(tallying, exact), stored[0]))
        else:
            emptied.append((stored[0],))
    run_many(_INSERT, made)
    run_many(_UPDATE, changed)
    run_many(_DELETE, emptied)


BY_FILE = f"""SELECT DISTINCT variant_id, metric_id, round FROM experiments_tally
    WHERE variant_id {IN} AND segment = '' AND exact IS NULL"""
# CROSS JOIN: one look-up for each place, by the tallies' key, whatever SQLite thinks of the sizes of its tables.
AT_PLACES = """SELECT asked.key, tally.id, tally.exact FROM json_each(%s) AS asked CROSS JOIN experiments_tally AS tally
    ON tally.variant_id = json_extract(asked.value, '$[0]') AND tally.metric_id = json_extract(asked.value, '$[1]')
    AND tally.round = json_extract(asked.value, '$[2]') AND tally.segment = json_extract(asked.value, '$[3]')
    AND tally.day = json_extract(asked.value, '$[4]')"""


def _counted_by_file(rounds: Sequence[RoundChanges], changes: Mapping[_Place, Any]) -> list[_Place]:
    """The places among ``changes`` whose metric came in by file for some variant of the same round."""
    variants = sorted({variant for one in rounds for variant in one.variants})
    found = {(variant, metric, number) for variant, metric, number in rows(BY_FILE, json.dumps(variants))}
    if not found:
        return []
    together = {(variant, one.round): one.variants for one in rounds for variant in one.variants}
    return [
        place
        for place in changes
        if any((variant, place[1], place[2]) in found for variant in together[place[0], place[2]])
    ]


def _present(places: Sequence[_Place]) -> dict[_Place, tuple[int, str]]:
    """The tallies that are kept at places: their ids, and their exact sums as text."""
    return {places[number]: (key, exact) for number, key, exact in rows(AT_PLACES, json.dumps(places))}


def _figures(tallying: Tallying, exact: list[int | None]) -> tuple[Any, ...]:
    """What stands in the columns of a tally, in the order of `_FIGURES`."""
    figures = as_floats(tallying, exact)
    if figures["steps"] is not None:
        figures["steps"] = _written(figures["steps"])
    return (*figures.values(), _written(exact))


def clear_tallies(variants: Sequence[int], round_number: int) -> None:
    """Forget what has been tallied of a round's events; sums that came in by file stay."""
    run_many(
        f"DELETE FROM experiments_tally WHERE round = %s AND variant_id {IN} AND exact IS NOT NULL",
        [(round_number, json.dumps(list(variants)))],
    )
