"""How long events stay in the database, and putting away those that nobody who is open needs."""

from __future__ import annotations

from dataclasses import dataclass

from django.db import transaction

from neat_verdict.app.collect import archive, store
from neat_verdict.app.collect.archive import DAY
from neat_verdict.app.collect.models import Retention
from neat_verdict.app.traffic.serving import ServedByKey, served

AT_ONCE = 50_000  # events that are put away in one step


@dataclass(frozen=True, slots=True)
class Horizon:
    """Before which moment (milliseconds since 1970) events are put away, and the name of the open experiment that keeps more
    than was asked for, empty where none does."""

    until: int
    held_back_by: str


def retention() -> Retention:
    """What was chosen; nothing, where nobody has."""
    return Retention.objects.first() or Retention()


def put_away_until() -> int:
    """Events before this moment are not in the database, and are not taken in any more; 0 where none was put away."""
    return Retention.objects.values_list("put_away_until", flat=True).first() or 0


def needs_archive(chosen: ServedByKey) -> bool:
    """Whether what counts for any of the experiments may have been put away."""
    return chosen.needs_from < put_away_until()


def horizon(keep_days: int, now: int) -> Horizon:
    """What is put away where events stay for so many days: of what open experiments need nothing is."""
    asked = now - keep_days * DAY
    # Late by a day may be what is sent of an experiment that began.
    open_ones = sorted(served().open_ones.values(), key=lambda one: one.needs_from)
    if open_ones and open_ones[0].needs_from - DAY < asked:
        return Horizon(open_ones[0].needs_from - DAY, open_ones[0].name)
    return Horizon(asked, "")


def put_away(until: int, at_most: int = AT_ONCE) -> int:
    """Put events away that are timed before a moment; returns how many. Killed at any point, none is lost and none counts twice:
    a file is whole before its events leave the database, and what is in both counts once."""
    events = store.oldest(until, at_most)
    if not events:
        return 0
    first, last = events[0][0], events[-1][0]
    # Of true and false SQLite knows 1 and 0.
    forced = 1 + archive.COLUMNS.index("forced")
    lines = [(*event[1:forced], bool(event[forced]), *event[forced + 1 :]) for event in events]
    written = archive.write(lines, f"{first}-{last}")
    if store.still_there([event[0] for event in events]) < len(events):
        # Somebody was forgotten meanwhile: what was read of them must not come back.
        for file in written:
            file.unlink()
        return put_away(until, at_most)
    with transaction.atomic():
        row = Retention.objects.select_for_update().get()
        row.put_away_until = max(row.put_away_until, until)
        row.save(update_fields=["put_away_until"])
    store.remove([event[0] for event in events])
    return len(events)
