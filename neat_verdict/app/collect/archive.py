"""Events that were put away: out of the database, into Parquet by day (UTC), from where they count as before.

A file is whole before the events leave the database, so that for a moment an event may be in both; it counts once by its id.
"""

from __future__ import annotations

import os
import shutil
import tempfile
from collections import defaultdict
from collections.abc import Collection, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, date, datetime
from pathlib import Path
from typing import Any

import duckdb
import orjson
from django.conf import settings

from neat_verdict.app.collect.batch import OTHER_ID
from neat_verdict.core.metrics import EXPOSURE
from neat_verdict.core.traffic import SAME_PERSON

DAY = 86_400_000  # milliseconds
MEMORY = "512MB"
COLUMNS = ("sent_id", "unit", "name", "at", "received", "experiment", "letter", "forced", "properties")
_WRITING = ".writing-"
_TYPES = {"at": "BIGINT", "received": "BIGINT", "forced": "BOOLEAN"}
_SHAPE = "{" + ", ".join(f"'{name}': '{_TYPES.get(name, 'VARCHAR')}'" for name in COLUMNS) + "}"
_ALL = ", ".join(f'"{name}"' for name in COLUMNS)


@dataclass(frozen=True, slots=True)
class PutAway:
    """What is put away: events, bytes, and the first and last day (UTC)."""

    events: int
    size: int
    days: tuple[date, date] | None


def folder() -> Path:
    """Where the files are: ``day=2026-03-31/…parquet``."""
    return Path(settings.DATA) / "events"


def write(events: Sequence[Sequence[Any]], name: str) -> list[Path]:
    """Write events, each as `COLUMNS`, into a file of this name by day, and return the files. One of that name is replaced."""
    written = []
    by_day: dict[date, list[Sequence[Any]]] = defaultdict(list)
    for event in events:
        by_day[_day_of(event[COLUMNS.index("at")])].append(event)
    for day, mine in by_day.items():
        place = folder() / f"day={day.isoformat()}"
        place.mkdir(parents=True, exist_ok=True)
        with _being_written() as holder:
            lines, made = Path(holder, "lines.json"), Path(holder, "made.parquet")
            with lines.open("wb") as file:
                for event in mine:
                    file.write(orjson.dumps(dict(zip(COLUMNS, event, strict=True)), option=orjson.OPT_APPEND_NEWLINE))
            with _connection() as connection:
                connection.execute(
                    f"COPY (SELECT * FROM read_json({_quoted(lines)}, format = 'newline_delimited', columns = {_SHAPE}) "
                    f'ORDER BY unit, "at") TO {_quoted(made)} (FORMAT parquet)'
                )
            written.append(made.replace(place / f"{name}.parquet"))
    return written


def events_of(units: Collection[str], names: Collection[str], since: int) -> list[tuple[Any, ...]]:
    """(unit, name, at, sent_id, experiment, letter, forced, properties as text) of units: as `store.events_of`, from the day of
    a moment on."""
    return _asked(
        'SELECT unit, name, "at", sent_id, experiment, letter, forced, properties FROM events '
        "WHERE unit IN (SELECT unnest($units)) AND name IN (SELECT unnest($names))",
        since,
        units=list(units),
        names=[EXPOSURE, *names],
    )


def exposed_to(experiments: Collection[str], since: int) -> list[str]:
    """The units that were exposed to any of the experiments, in order, from the day of a moment on."""
    found = _asked(
        "SELECT DISTINCT unit FROM events WHERE name = $name AND experiment IN (SELECT unnest($experiments)) ORDER BY unit",
        since,
        name=EXPOSURE,
        experiments=list(experiments),
    )
    return [unit for (unit,) in found]


def count_of(units: Collection[str]) -> int:
    """How many events of units are put away."""
    found = _asked(
        "SELECT count(DISTINCT sent_id) FROM events WHERE unit IN (SELECT unnest($units))", units=list(units)
    )
    return int(found[0][0]) if found else 0


def erase(units: Collection[str]) -> None:
    """Write each file that has an event of these units, or one that links an id to one of them, once more without them."""
    theirs = (
        f"unit IN (SELECT unnest($units)) OR (name = '{SAME_PERSON}' AND "
        f"coalesce(json_extract_string(properties, '$.{OTHER_ID}'), '') IN (SELECT unnest($units)))"
    )
    sweep()
    for (file,) in _asked(f"SELECT DISTINCT filename FROM events WHERE {theirs}", units=list(units)):
        with _being_written() as holder, _connection() as connection:
            made = Path(holder, "made.parquet")
            kept = f"SELECT {_ALL} FROM read_parquet({_quoted(file)}, hive_partitioning = false) WHERE NOT ({theirs})"
            connection.execute(f"COPY ({kept}) TO {_quoted(made)} (FORMAT parquet)", {"units": list(units)})
            made.replace(file)


def erase_before(moment: int) -> int:
    """Erase the days that are over before a moment (milliseconds since 1970); returns how many."""
    over = [place for place, day in _places() if day < _day_of(moment)]
    for place in over:
        shutil.rmtree(place)
    return len(over)


def put_away() -> PutAway:
    """What is there."""
    days = [day for _, day in _places()]
    found = _asked("SELECT count(*) FROM events")
    return PutAway(
        events=int(found[0][0]) if found else 0,
        size=sum(file.stat().st_size for file in _files()),
        days=(min(days), max(days)) if days else None,
    )


def sweep() -> None:
    """Erase what was being written by a process that was killed: it holds what units did."""
    for left in folder().glob(f"{_WRITING}*"):
        if not _lives(int(left.name.removeprefix(_WRITING).partition("-")[0])):
            shutil.rmtree(left, ignore_errors=True)


def _lives(process: int) -> bool:
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except PermissionError:  # another account's
        return True
    return True


@contextmanager
def _being_written() -> Iterator[str]:
    """A folder beside the files, for one that takes its place when it is whole; named after this process."""
    with tempfile.TemporaryDirectory(dir=folder(), prefix=f"{_WRITING}{os.getpid()}-") as holder:
        yield holder


def _quoted(path: str | Path) -> str:
    """A path as a text of SQL."""
    return "'" + str(path).replace("'", "''") + "'"


def _asked(question: str, since: int = 0, **values: Any) -> list[tuple[Any, ...]]:
    first = f"day={_day_of(since).isoformat()}"
    files = [str(file) for file in _files() if file.parent.name >= first]
    if not files:
        return []
    with _connection() as connection:
        connection.execute("SET VARIABLE files = $files", {"files": files})
        events = "read_parquet(getvariable('files'), hive_partitioning = false, filename = true)"
        return connection.execute(f"WITH events AS (FROM {events}) {question}", values).fetchall()


def _files() -> list[Path]:
    return sorted(folder().glob("day=*/*.parquet"))


def _places() -> list[tuple[Path, date]]:
    return [(place, date.fromisoformat(place.name.removeprefix("day="))) for place in sorted(folder().glob("day=*"))]


def _day_of(moment: int) -> date:
    return datetime.fromtimestamp(moment / 1000, UTC).date()


@contextmanager
def _connection() -> Iterator[duckdb.DuckDBPyConnection]:
    config: dict[str, str | bool | int | float | list[str]] = {
        "memory_limit": MEMORY,
        "threads": 2,
        "autoinstall_known_extensions": "false",
    }
    with duckdb.connect(config=config) as connection:
        yield connection
