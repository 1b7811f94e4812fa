"""Which unit is in which experiment since when, and whose it is: the tables behind every event. Called inside a transaction."""

from __future__ import annotations

import json
from collections.abc import Collection, Sequence
from typing import NamedTuple

from neat_verdict.app.sql import IN, rows, run_many
from neat_verdict.core.traffic import MAX_IDS, Standing


class Enrolled(NamedTuple):
    """A row of `models.Enrolment`; segments and values are JSON."""

    unit: str
    experiment_id: int
    round: int
    variant_id: int
    first_at: int
    segments: str
    values: str
    mixed: bool
    standing: Standing
    several: bool
    across: bool


_NAMES = [f'"{column}"' for column in Enrolled._fields]
_UPSERT = f"""INSERT INTO traffic_enrolment ({", ".join(_NAMES)}) VALUES ({", ".join(["%s"] * len(_NAMES))})
    ON CONFLICT (unit, experiment_id, round) DO UPDATE SET {", ".join(f"{name} = excluded.{name}" for name in _NAMES[3:])}"""
_LINK = """INSERT INTO traffic_personlink (unit, person, at, sent_id) VALUES (%s, %s, %s, %s)
    ON CONFLICT (unit) DO UPDATE SET person = excluded.person, at = excluded.at, sent_id = excluded.sent_id
    WHERE (excluded.at, excluded.sent_id) < (at, sent_id)"""

# A crowd is not read: for each person the index is walked no further than it takes to know that it is one.
_IDS = f"""SELECT asked.value, (SELECT json_group_array(unit) FROM
        (SELECT unit FROM traffic_personlink WHERE person = asked.value LIMIT {MAX_IDS + 1})) AS ids
    FROM json_each(%s) AS asked WHERE ids <> '[]'"""


def enrolments_of(units: Collection[str]) -> list[Enrolled]:
    """In which rounds units are."""
    found = rows(f"SELECT {', '.join(_NAMES)} FROM traffic_enrolment WHERE unit {IN}", json.dumps(list(units)))
    return [Enrolled(*row) for row in found]


def keep_enrolments(lines: Sequence[Enrolled]) -> None:
    """Keep in which rounds units are, in place of what was kept of them there."""
    run_many(_UPSERT, lines)


def clear_enrolments(experiment: int, round_number: int) -> None:
    """Forget who is in a round."""
    run_many("DELETE FROM traffic_enrolment WHERE experiment_id = %s AND round = %s", [(experiment, round_number)])


def link_persons(links: Sequence[tuple[str, str, int, str]]) -> set[str]:
    """Keep (unit, person, moment, sent_id); the first of an id holds. Returns the ids of all persons that this concerns."""
    if not links:
        return set()
    units = {unit for unit, *_ in links}
    persons = {person for _, person, *_ in links}.union(_persons(units).values())
    before = _ids(persons)
    run_many(_LINK, links)
    after = _ids(persons | set(_persons(units).values()))
    return units.union(*before.values(), *after.values())


def ids_by_unit(units: Collection[str]) -> dict[str, tuple[str, ...]]:
    """The ids of each unit's person, sorted; the unit alone where it has no other, or more than `MAX_IDS`."""
    persons = _persons(units)
    ids = _ids(set(persons.values()))
    return {unit: tuple(sorted(ids.get(person, {unit}))) for unit, person in persons.items()}


def linked_with(units: Collection[str]) -> set[str]:
    """Every id that is linked with one of these, or with the same person, however many these are."""
    persons = {*units, *_persons(units).values()}
    found = rows(f"SELECT unit FROM traffic_personlink WHERE person {IN}", json.dumps(list(persons)))
    return persons | {unit for (unit,) in found}


def _persons(units: Collection[str]) -> dict[str, str]:
    """The id that stands for each unit's person: itself where it is not linked."""
    linked = rows(f"SELECT unit, person FROM traffic_personlink WHERE unit {IN}", json.dumps(list(units)))
    return {unit: unit for unit in units} | dict(linked)


def _ids(persons: Collection[str]) -> dict[str, set[str]]:
    """The ids of persons who have several, but not more than `MAX_IDS`; what stands for a person is one of them."""
    linked: dict[str, set[str]] = {}
    for person, ids in rows(_IDS, json.dumps(list(persons))):
        linked[person] = set(json.loads(ids))
    if linked:
        whose = _persons(linked)
        for person, ids in linked.items():
            if whose[person] == person:
                ids.add(person)
    return {person: ids for person, ids in linked.items() if len(ids) <= MAX_IDS}
