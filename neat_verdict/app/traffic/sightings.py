"""Who asks for assignments, and with which properties: a sample of each day's units, from which audiences are counted beforehand.

Noting one costs an assignment nothing but memory: a few seconds of them are stored together, from a thread of their own. What a
process has noted and not stored when it ends is lost, which a sample can bear.
"""

from __future__ import annotations

import threading
from collections import Counter
from collections.abc import Collection, Mapping
from datetime import date, timedelta
from typing import Any

import orjson
from django.db import transaction

from neat_verdict.app import clock
from neat_verdict.app.http.texts import is_whole
from neat_verdict.app.later import Later
from neat_verdict.app.sql import rows, run_many
from neat_verdict.app.traffic.models import PropertySet, SampledDay, SeenUnit
from neat_verdict.core.limits import MAX_PROPERTIES, MAX_UNIT_LENGTH
from neat_verdict.core.traffic import Sample, sample_point

DAYS = 30
KEPT_A_DAY = 2_000  # units with their properties; above it half of them are kept
READ_AT_ONCE = 30_000
STORE_AFTER = 5.0  # seconds
WAITING = 10_000  # what a process keeps unstored; more is not noted
MAX_LENGTH = 200
SETS_A_UNIT = 20  # a day; one whose properties change with every request must not push the others out

Sighting = tuple[date, float, str]  # day, point, properties as text


class Buffer:
    """What has been noted in this process and is not stored yet. It stores itself from time to time, or when it is asked to."""

    def __init__(self, *, by_itself: bool = True) -> None:
        self.by_itself = by_itself
        self._lock = threading.Lock()
        self._waiting: list[Sighting] = []
        self._day, self._share = date.min, 1.0
        self._known: set[tuple[float, str]] = set()
        self._sets: Counter[float] = Counter()  # of properties, by unit
        self._later = Later(self.flush, STORE_AFTER)

    def note(self, unit: str, properties: Mapping[str, object]) -> None:
        """Note that a unit asked for an assignment. Never raises: what is no unit, or no text at all, is passed over."""
        if not 0 < len(unit) <= MAX_UNIT_LENGTH or not is_whole(unit):
            return
        day, point = clock.now().date(), sample_point(unit)
        if day == self._day and point >= self._share:
            return
        text = properties_text(properties)
        with self._lock:
            if day != self._day:
                self._day, self._share, self._known, self._sets = day, 1.0, set(), Counter()
            if point >= self._share or (point, text) in self._known or len(self._waiting) >= WAITING:
                return
            self._sets[point] += 1
            if self._sets[point] > SETS_A_UNIT:
                return
            self._known.add((point, text))
            self._waiting.append((day, point, text))
            if self.by_itself:
                self._later.soon()

    def flush(self) -> int:
        """Store what waits, in the caller's transaction; returns how many sightings that were."""
        taken = self._take()
        shares = store(taken)
        with self._lock:
            if self._day in shares:
                self._share = shares[self._day]
                self._known = {one for one in self._known if one[0] < self._share}
                self._sets = Counter(point for point, _ in self._known)
        return len(taken)

    def forget(self) -> None:
        """Begin with nothing noted."""
        self._take()
        self._day = date.min

    def _take(self) -> list[Sighting]:
        self._later.cancel()
        with self._lock:
            taken, self._waiting = self._waiting, []
        return taken


buffer = Buffer()


def properties_text(properties: Mapping[str, object]) -> str:
    """Properties as they are kept: texts, numbers, true and false, names sorted; what is no property is left out."""
    kept: dict[str, Any] = {}
    for name in sorted(name for name in properties if isinstance(name, str))[:MAX_PROPERTIES]:
        value = properties[name]
        if isinstance(value, str):
            kept[_text(name)] = _text(value)
        elif isinstance(value, bool | float) or (isinstance(value, int) and abs(value) < 2**53):
            kept[_text(name)] = value
    return orjson.dumps(kept).decode()


def _text(text: str) -> str:
    """Text as it can be stored: of bounded length, and without halves of characters."""
    return text[:MAX_LENGTH].encode(errors="replace").decode()


@transaction.atomic
def store(sightings: Collection[Sighting]) -> dict[date, float]:
    """Store sightings, each once a day, and halve the share of a day that has too many; returns the shares of their days."""
    shares: dict[date, float] = {}
    if not sightings:
        return shares
    texts = sorted({text for _, _, text in sightings})
    PropertySet.objects.bulk_create([PropertySet(text=text) for text in texts], ignore_conflicts=True)
    known = "SELECT id FROM traffic_propertyset WHERE text = %s"
    statement = f"INSERT OR IGNORE INTO traffic_seenunit (day, point, properties_id) VALUES (%s, %s, ({known}))"
    for day in sorted({day for day, _, _ in sightings}):
        sampled, new = SampledDay.objects.get_or_create(day=day)
        mine = [(day.isoformat(), point, text) for on, point, text in sightings if on == day and point < sampled.share]
        run_many(statement, mine)
        while SeenUnit.objects.filter(day=day).count() > KEPT_A_DAY:
            sampled.share /= 2
            SeenUnit.objects.filter(day=day, point__gte=sampled.share).delete()
        sampled.save()
        shares[day] = sampled.share
        if new:
            _drop_before(day - timedelta(days=DAYS))
    return shares


def _drop_before(day: date) -> None:
    SeenUnit.objects.filter(day__lt=day).delete()
    SampledDay.objects.filter(day__lt=day).delete()
    PropertySet.objects.exclude(pk__in=SeenUnit.objects.values("properties")).delete()


def last_month() -> tuple[Sample, date] | None:
    """The units of the last 30 days and the first day there is anything of; None where nobody asked for an assignment."""
    since = clock.now().date() - timedelta(days=DAYS)
    days = SampledDay.objects.filter(day__gte=since).order_by("day")
    if not (first := days.first()):
        return None
    # The same units on every day: those below the smallest share.
    share = min(day.share for day in days)
    while SeenUnit.objects.filter(day__gte=since, point__lt=share).count() > READ_AT_ONCE:
        share /= 2
    found: dict[str, set[float]] = {}
    for text, point in rows(
        "SELECT DISTINCT p.text, s.point FROM traffic_seenunit s JOIN traffic_propertyset p ON p.id = s.properties_id "
        "WHERE s.day >= %s AND s.point < %s",
        since.isoformat(),
        share,
    ):
        found.setdefault(text, set()).add(point)
    return Sample(share, [(orjson.loads(text), frozenset(points)) for text, points in found.items()]), first.day
