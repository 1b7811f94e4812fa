"""The statements behind taking events in: written out, because every event passes here. Called inside a transaction."""

from __future__ import annotations

import json
from collections.abc import Collection, Mapping, Sequence
from itertools import zip_longest
from typing import Any

import orjson
from django.db import connection

from neat_verdict.app.collect.batch import Sent
from neat_verdict.app.collect.recount import Arrivals, Sums, as_floats
from neat_verdict.app.traffic.serving import Served
from neat_verdict.core.metrics import EXPOSURE

_IN = "IN (SELECT value FROM json_each(%s))"
INSERT_EVENT = """INSERT INTO collect_event
    (sent_id, unit, name, at, received, experiment, letter, forced, held, properties)
    VALUES (%s, %s, %s, %s, %s, %s, %s, %s, %s, %s)"""
_UPSERT_ENROLMENT = """INSERT INTO traffic_enrolment
    (unit, experiment_id, round, variant_id, first_at, segments, "values", mixed) VALUES (%s, %s, %s, %s, %s, %s, %s, %s)
    ON CONFLICT (unit, experiment_id, round) DO UPDATE SET variant_id = excluded.variant_id, first_at = excluded.first_at,
        segments = excluded.segments, "values" = excluded."values", mixed = excluded.mixed"""
_UPSERT_TALLY = """INSERT INTO experiments_tally
    (variant_id, metric_id, round, segment, day, units, total, squares, second_total, second_squares, "cross", steps,
     capped, exact)
    VALUES (%s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s)
    ON CONFLICT (variant_id, metric_id, round, segment, day) DO UPDATE SET units = excluded.units, total = excluded.total,
        squares = excluded.squares, second_total = excluded.second_total,
        second_squares = excluded.second_squares,
        "cross" = excluded."cross", steps = excluded.steps, capped = excluded.capped, exact = excluded.exact"""
_UPSERT_ARRIVAL = """INSERT INTO collect_arrival (variant_id, round, hour, units, mixed) VALUES (%s, %s, %s, %s, %s)
    ON CONFLICT (variant_id, round, hour) DO UPDATE SET units = units + excluded.units, mixed = mixed + excluded.mixed"""
_UPSERT_SIGHTING = """INSERT INTO collect_sighting (kind, name, last_at, times) VALUES (%s, %s, %s, %s)
    ON CONFLICT (kind, name) DO UPDATE SET last_at = max(last_at, excluded.last_at), times = times + excluded.times"""
_UPSERT_INTAKE = """INSERT INTO collect_intake (hour, batches, events, duplicates, late, held, unexposed)
    VALUES (%s, 1, %s, %s, %s, %s, %s)
    ON CONFLICT (hour) DO UPDATE SET batches = batches + 1, events = events + excluded.events,
        duplicates = duplicates + excluded.duplicates, late = late + excluded.late, held = held + excluded.held,
        unexposed = unexposed + excluded.unexposed"""


def rows(statement: str, *values: Any) -> list[tuple[Any, ...]]:
    """What a query finds."""
    with connection.cursor() as cursor:
        cursor.execute(statement, values)
        return cursor.fetchall()


def _many(statement: str, lines: Sequence[Sequence[Any]]) -> None:
    with connection.cursor() as cursor:
        cursor.executemany(statement, lines)


def known_ids(ids: Collection[str]) -> set[str]:
    """Those of the ids that have come in before."""
    result = rows(f"SELECT sent_id FROM collect_event WHERE sent_id {_IN}", json.dumps(list(ids)))
    return {row[0] for row in result}


def insert_events(events: Sequence[Sent], now: int, hold_after: int) -> None:
    """Keep events as they were sent."""
    _many(
        INSERT_EVENT,
        [
            (e.sent_id, e.unit, e.name, e.at, now, e.experiment, e.letter, e.forced, e.at > hold_after,
             orjson.dumps(e.properties).decode() if e.properties else "{}")
            for e in events
        ],
    )  # fmt: skip


def events_of(units: Collection[str], names: Collection[str]) -> list[tuple[Any, ...]]:
    """(unit, name, at, sent_id, experiment, letter, forced, properties as text) of units, those not held, in order."""
    return rows(
        f"""SELECT unit, name, at, sent_id, experiment, letter, forced, properties FROM collect_event
            WHERE unit {_IN} AND name {_IN} AND NOT held ORDER BY unit, at, sent_id""",
        json.dumps(list(units)),
        json.dumps([EXPOSURE, *names]),
    )


def enrolments_of(units: Collection[str]) -> list[tuple[Any, ...]]:
    """(unit, experiment, round, variant, first_at, segments, values, mixed) of units."""
    return rows(
        f"""SELECT unit, experiment_id, round, variant_id, first_at, segments, "values", mixed FROM traffic_enrolment
            WHERE unit {_IN}""",
        json.dumps(list(units)),
    )


def keep_enrolments(lines: Sequence[Sequence[Any]]) -> None:
    """Keep lines as `enrolments_of` gives them."""
    _many(_UPSERT_ENROLMENT, lines)


def change_tallies(experiment: Served, sums: Sums) -> None:
    """Add changes to the tallies; a metric whose sums came in by file is left alone, and empty cells go."""
    if not sums:
        return
    tallyings = {str(m.id): m.definition.rules.tallying(m.before_days) for m in experiment.metrics}
    ids = [variant[0] for variant in experiment.variants]
    by_file = {
        row[0]
        for row in rows(
            f"""SELECT DISTINCT metric_id FROM experiments_tally
                WHERE variant_id {_IN} AND metric_id {_IN} AND round = %s AND segment = '' AND exact IS NULL""",
            json.dumps(ids),
            json.dumps([metric.id for metric in experiment.metrics]),
            experiment.round,
        )
    }
    present = {
        (row[0], row[1], row[2], str(row[3])): row[4]
        for row in rows(
            f"""SELECT variant_id, metric_id, segment, day, exact FROM experiments_tally
                WHERE round = %s AND variant_id {_IN} AND day {_IN}""",
            experiment.round,
            json.dumps(ids),
            json.dumps(sorted({day for _, _, day, _ in sums})),
        )
    }
    kept, emptied = [], []
    for (position, segment, day, metric_id), change in sums.items():
        variant, metric = ids[position], int(metric_id)
        place = (variant, metric, segment, day)
        before = present.get(place, "[0,0,0,0,0,0]")
        if metric in by_file or not any(change):
            continue
        counted = json.loads(before)
        if place in present and tallyings[metric_id].capped_values:
            # Counted before it was asked who reached the cap: that stays unknown until the tallies are rebuilt.
            change = change[: len(counted)]
        exact = [old + new for old, new in zip_longest(counted, change, fillvalue=0)]
        if exact[0] == 0:
            emptied.append((variant, metric, experiment.round, segment, day))
            continue
        figures = as_floats(tallyings[metric_id], exact)
        kept.append(
            (variant, metric, experiment.round, segment, day, figures["units"], figures["total"], figures["squares"],
             figures["second_total"], figures["second_squares"], figures["cross"],
             json.dumps(figures["steps"]) if figures["steps"] else None, figures["capped"], json.dumps(exact))
        )  # fmt: skip
    _many(_UPSERT_TALLY, kept)
    _many(
        """DELETE FROM experiments_tally WHERE variant_id = %s AND metric_id = %s AND round = %s AND segment = %s AND day = %s""",
        emptied,
    )


def change_arrivals(experiment: Served, arrivals: Arrivals) -> None:
    """Add changes to the first exposures by hour."""
    lines = [
        (experiment.variants[position][0], experiment.round, hour, units, mixed)
        for (position, hour), (units, mixed) in arrivals.items()
        if units or mixed
    ]
    # The check against negative counts would refuse the change itself, so what is taken away is written as an update.
    _many(_UPSERT_ARRIVAL, [line for line in lines if line[3] >= 0 and line[4] >= 0])
    _many(
        "UPDATE collect_arrival SET units = units + %s, mixed = mixed + %s WHERE variant_id = %s AND round = %s AND hour = %s",
        [(line[3], line[4], *line[:3]) for line in lines if line[3] < 0 or line[4] < 0],
    )


def clear(experiment: Served) -> None:
    """Forget what has been made of a round's events; the events themselves and sums that came in by file stay."""
    ids = json.dumps([variant[0] for variant in experiment.variants])
    with connection.cursor() as cursor:
        for table, more in (("experiments_tally", " AND exact IS NOT NULL"), ("collect_arrival", "")):
            cursor.execute(f"DELETE FROM {table} WHERE round = %s AND variant_id {_IN}{more}", [experiment.round, ids])
        cursor.execute(
            "DELETE FROM traffic_enrolment WHERE experiment_id = %s AND round = %s", [experiment.id, experiment.round]
        )


def note_sightings(kind: str, seen: Mapping[str, tuple[int, int]]) -> None:
    """Keep when names were last seen, and how often: name → (moment, times)."""
    _many(_UPSERT_SIGHTING, [(kind, name, last, times) for name, (last, times) in seen.items()])


def note_intake(hour: int, **counted: int) -> None:
    """Add to what came in this hour."""
    fields = ("events", "duplicates", "late", "held", "unexposed")
    _many(_UPSERT_INTAKE, [(hour, *(counted[field] for field in fields))])
