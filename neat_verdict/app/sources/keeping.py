"""What is kept for how long: events in the database, anything by the ids of units, and room for it all."""

from __future__ import annotations

import logging
import shutil
from collections.abc import Iterable
from datetime import datetime
from itertools import islice
from zoneinfo import ZoneInfo

from django.db import connection, transaction
from django.db.models import Exists, OuterRef, QuerySet

from neat_verdict.app import clock, integrity
from neat_verdict.app.collect import archive
from neat_verdict.app.collect.archive import DAY
from neat_verdict.app.collect.events import milliseconds
from neat_verdict.app.collect.models import BusyUnit, Event, FileUnits, Retention
from neat_verdict.app.collect.retention import horizon, put_away, retention
from neat_verdict.app.experiments.actions.ledger import record
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import workspace
from neat_verdict.app.people.actions import require_editor
from neat_verdict.app.people.models import User
from neat_verdict.app.site.models import PageUse
from neat_verdict.app.traffic.models import Enrolment, IdsErased, PersonLink
from neat_verdict.app.traffic.serving import served
from neat_verdict.core.checks import InputError

log = logging.getLogger(__name__)
NIGHT = 3  # from this hour of the workspace's day on it is seen to
ERASED_AT_ONCE = 2_000
# The file is made smaller where so much of it is free, by so many bytes at least. The house's limits, no source.
FREE_SHARE, FREE_LEAST = 0.3, 64 * 1024 * 1024
OVER = ("decided", "archived")


def choose_retention(by: User, days_of_events: int | None, days_of_ids: int | None) -> Retention:
    """For how long what is kept, from the next night on. Raises InputError for ids that would go before their events."""
    require_editor(by)
    if days_of_ids is not None and (days_of_events is None or days_of_ids < days_of_events):
        accepted = (
            "needs a number of days for events"
            if days_of_events is None
            else f"must be at least {days_of_events}, as long as events"
        )
        raise InputError("days_of_ids", days_of_ids, accepted)
    chosen = {"days_of_events": days_of_events, "days_of_ids": days_of_ids, "by": by}
    return Retention.objects.update_or_create(pk=1, defaults=chosen)[0]


def is_due(now: datetime) -> bool:
    """Whether it is night, and was not seen to since yesterday."""
    row = retention()
    if row.days_of_events is None:
        return False
    zone = ZoneInfo(workspace().time_zone)
    local = now.astimezone(zone)
    return local.hour >= NIGHT and (row.tended_at is None or row.tended_at.astimezone(zone).date() < local.date())


def tend() -> dict[str, int]:
    """Put away and erase what is older than was chosen, in small steps; killed in between, the next goes on. Returns how much."""
    row, now = retention(), milliseconds()
    archive.sweep()
    done = {"events put away": 0, "experiments without ids": 0, "days erased": 0}
    if row.days_of_events is not None:
        until = horizon(row.days_of_events, now).until
        while moved := put_away(until):
            done["events put away"] += moved
    if row.days_of_ids is not None:
        before = now - row.days_of_ids * DAY
        done["experiments without ids"] = _mark_erased(before)
        _erase_units(before)
        # Of events nobody knows whose they are; what an open experiment needs stays.
        before = min(before, served().open_ones.needs_from)
        done["days erased"] = archive.erase_before(before)
        _erase_events(before)
    compact()
    Retention.objects.update(tended_at=clock.now())
    return {what: count for what, count in done.items() if count}


def _long_over(before: int) -> QuerySet[Experiment]:
    """Experiments decided before a moment, of which nobody counts anything any more."""
    open_ones = [one.id for one in served().open_ones.values()]
    decided = Experiment.objects.filter(
        state__in=OVER, decided_at__lt=datetime.fromtimestamp(before / 1000, clock.now().tzinfo)
    )
    return decided.filter(ids_erased__isnull=True).exclude(pk__in=open_ones)


@transaction.atomic
def _mark_erased(before: int) -> int:
    """Keep first that sums cannot be made again: then they are not, whatever happens before all is erased."""
    over, by = list(_long_over(before)), retention().by
    for experiment in over:
        IdsErased.objects.create(experiment=experiment)
        sentence = "Everything by the ids of its units was erased, by the retention that was chosen; its sums stay"
        record(experiment, by or experiment.owner, "forget", sentence)
    return len(over)


def _erase_units(before: int) -> None:
    closed = IdsErased.objects.exclude(experiment__in=[one.id for one in served().open_ones.values()]).values(
        "experiment"
    )
    _erase(Enrolment.objects.filter(experiment__in=closed, first_at__lt=before))
    _erase(PageUse.objects.filter(experiment__in=closed))
    FileUnits.objects.filter(variant__experiment__in=closed).delete()


def _erase_events(before: int) -> None:
    _erase(Event.objects.filter(at__lt=before, held=False))
    enrolled = Enrolment.objects.filter(unit=OuterRef("unit"))
    _erase(PersonLink.objects.filter(~Exists(enrolled), at__lt=before))
    BusyUnit.objects.filter(~Exists(enrolled), since__isnull=True).delete()


def _erase(rows: QuerySet[Enrolment] | QuerySet[PageUse] | QuerySet[Event] | QuerySet[PersonLink]) -> None:
    for ids in _blocks(rows.order_by("pk").values_list("pk", flat=True).iterator()):
        rows.model._default_manager.filter(pk__in=ids).delete()


def _blocks(numbers: Iterable[int]) -> Iterable[list[int]]:
    numbers = iter(list(numbers))
    while block := list(islice(numbers, ERASED_AT_ONCE)):
        yield block


def sizes() -> tuple[int, int]:
    """Of the database, in bytes: its file, and what of it is free to be filled again."""
    with connection.cursor() as cursor:
        size, pages, free = (
            cursor.execute(f"PRAGMA {name}").fetchone()[0] for name in ("page_size", "page_count", "freelist_count")
        )
    return pages * size, free * size


def compact() -> bool:
    """Make the file of the database smaller where much of it is free and the disk has room for the copy that this takes; who
    writes meanwhile waits."""
    size, free = sizes()
    if free < max(FREE_SHARE * size, FREE_LEAST):
        return False
    if shutil.disk_usage(integrity.database().parent).free < 2 * (size - free):
        log.warning("%s MB of the database are free, and the disk has no room to make it smaller", free // 2**20)
        return False
    with connection.cursor() as cursor:
        cursor.execute("VACUUM")
        cursor.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    return True
