"""The statements behind taking events in: what collect keeps of them. Called inside a transaction."""

from __future__ import annotations

import json
from collections.abc import Collection, Mapping, Sequence
from typing import Any

import orjson

from neat_verdict.app.collect.batch import OF_A_VARIANT, Sent
from neat_verdict.app.collect.recount import ARRIVAL_COLUMNS, Arrivals
from neat_verdict.app.sql import IN, rows, run_many
from neat_verdict.app.traffic.serving import Served
from neat_verdict.core.metrics import EXPOSURE

REMOVED_AT_ONCE = 1_000
INSERT_EVENT = """INSERT INTO collect_event
    (sent_id, unit, name, at, received, experiment, letter, forced, held, properties)
    VALUES (%s, %s, %s, %s, %s, %s, %s, %s, %s, %s)"""
_UPSERT_ARRIVAL = f"""INSERT INTO collect_arrival (variant_id, round, hour, {", ".join(ARRIVAL_COLUMNS)})
    VALUES (%s, %s, %s{", %s" * len(ARRIVAL_COLUMNS)})
    ON CONFLICT (variant_id, round, hour) DO UPDATE SET
        {", ".join(f"{column} = {column} + excluded.{column}" for column in ARRIVAL_COLUMNS)}"""
_UPDATE_ARRIVAL = f"""UPDATE collect_arrival SET {", ".join(f"{column} = {column} + %s" for column in ARRIVAL_COLUMNS)}
    WHERE variant_id = %s AND round = %s AND hour = %s"""
_UPSERT_SIGHTING = """INSERT INTO collect_sighting (kind, name, last_at, times) VALUES (%s, %s, %s, %s)
    ON CONFLICT (kind, name) DO UPDATE SET last_at = max(last_at, excluded.last_at), times = times + excluded.times"""
_UPSERT_INTAKE = """INSERT INTO collect_intake (hour, batches, events, duplicates, late, held, unexposed)
    VALUES (%s, 1, %s, %s, %s, %s, %s)
    ON CONFLICT (hour) DO UPDATE SET batches = batches + 1, events = events + excluded.events,
        duplicates = duplicates + excluded.duplicates, late = late + excluded.late, held = held + excluded.held,
        unexposed = unexposed + excluded.unexposed"""


def known_ids(ids: Collection[str]) -> set[str]:
    """Those of the ids that have come in before."""
    result = rows(f"SELECT sent_id FROM collect_event WHERE sent_id {IN}", json.dumps(list(ids)))
    return {row[0] for row in result}


def insert_events(events: Sequence[Sent], now: int, hold_after: int) -> None:
    """Keep events as they were sent."""
    run_many(
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
            WHERE unit {IN} AND name {IN} AND NOT held ORDER BY unit, at, sent_id""",
        json.dumps(list(units)),
        json.dumps([EXPOSURE, *names]),
    )


def oldest(until: int, at_most: int) -> list[tuple[Any, ...]]:
    """(id, `archive.COLUMNS`) of events timed before a moment that may be put away, in the order in which they came. What says
    that a page was reached, or could not be changed, stays: Watch asks for it as long as the experiment is there."""
    return rows(
        f"""SELECT id, sent_id, unit, name, at, received, experiment, letter, forced, properties FROM collect_event
            WHERE at < %s AND NOT held AND name NOT {IN} ORDER BY id LIMIT %s""",
        until,
        json.dumps(sorted(OF_A_VARIANT - {EXPOSURE})),
        at_most,
    )


def still_there(ids: Sequence[int]) -> int:
    """How many of the events are in the database."""
    return int(rows(f"SELECT count(*) FROM collect_event WHERE id {IN}", json.dumps(list(ids)))[0][0])


def remove(ids: Sequence[int]) -> None:
    """Take events out, a thousand at a time, so that nobody waits long to write."""
    for start in range(0, len(ids), REMOVED_AT_ONCE):
        run_many(
            f"DELETE FROM collect_event WHERE id {IN}", [(json.dumps(list(ids[start : start + REMOVED_AT_ONCE])),)]
        )


def busy_units(units: Collection[str]) -> set[str]:
    """Those of the units that are known to have very many events."""
    found = rows(f"SELECT unit FROM collect_busyunit WHERE unit {IN}", json.dumps(list(units)))
    return {row[0] for row in found}


def note_busy(units: Collection[str]) -> None:
    """Keep that units have very many events."""
    run_many(
        "INSERT INTO collect_busyunit (unit, marks) VALUES (%s, 0) ON CONFLICT DO NOTHING", [(unit,) for unit in units]
    )


def mark_waiting(units: Collection[str], now: int) -> None:
    """Mark that busy units have events that are not counted yet."""
    run_many(
        "UPDATE collect_busyunit SET since = coalesce(since, %s), marks = marks + 1 WHERE unit = %s",
        [(now, unit) for unit in units],
    )


def change_arrivals(changes: Sequence[tuple[Served, Arrivals]]) -> None:
    """Add changes to the first exposures by hour, of each experiment's round."""
    lines = [
        (experiment.variants[position][0], experiment.round, hour, *counted)
        for experiment, arrivals in changes
        for (position, hour), counted in arrivals.items()
        if any(counted)
    ]
    # The check against negative counts would refuse the change itself, so what is taken away is written as an update.
    run_many(_UPSERT_ARRIVAL, [line for line in lines if min(line[3:]) >= 0])
    run_many(_UPDATE_ARRIVAL, [(*line[3:], *line[:3]) for line in lines if min(line[3:]) < 0])


def clear_arrivals(experiment: Served) -> None:
    """Forget the first exposures by hour of a round; the events themselves stay."""
    ids = json.dumps([variant[0] for variant in experiment.variants])
    run_many(f"DELETE FROM collect_arrival WHERE round = %s AND variant_id {IN}", [(experiment.round, ids)])


def note_sightings(kind: str, seen: Mapping[str, tuple[int, int]]) -> None:
    """Keep when names were last seen, and how often: name → (moment, times)."""
    run_many(_UPSERT_SIGHTING, [(kind, name, last, times) for name, (last, times) in seen.items()])


def note_intake(hour: int, **counted: int) -> None:
    """Add to what came in this hour."""
    fields = ("events", "duplicates", "late", "held", "unexposed")
    run_many(_UPSERT_INTAKE, [(hour, *(counted[field] for field in fields))])
