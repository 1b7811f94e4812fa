"""How many events a key may bring on a day (of UTC), for all processes together."""

from __future__ import annotations

from datetime import UTC, datetime, time, timedelta

from django.db.models import F

from neat_verdict.app import clock
from neat_verdict.app.http.problems import TooMany
from neat_verdict.app.people.models import KeyDay
from neat_verdict.app.people.queries import Key

KEPT_DAYS = 35


def check_quota(key: Key) -> None:
    """Raise TooMany where the key has brought as many as it may today; what begins below that is taken in whole."""
    if not key.events_per_day:
        return
    now = clock.now().astimezone(UTC)
    brought = KeyDay.objects.filter(key_id=key.id, day=now.date()).values_list("events", flat=True).first() or 0
    if brought >= key.events_per_day:
        tomorrow = datetime.combine(now.date() + timedelta(days=1), time(), tzinfo=UTC)
        sentence = f"This key may bring {key.events_per_day:,} events a day (UTC), and has; nothing of this was stored"
        raise TooMany(sentence, int((tomorrow - now).total_seconds()) + 1)


def note_events(key: Key, events: int) -> None:
    """Note what a key brought; to be called inside the transaction that stores it."""
    if not key.events_per_day or not events:
        return
    today = clock.now().astimezone(UTC).date()
    KeyDay.objects.filter(key_id=key.id, day__lt=today - timedelta(days=KEPT_DAYS)).delete()
    row, made = KeyDay.objects.get_or_create(key_id=key.id, day=today, defaults={"events": events})
    if not made:
        KeyDay.objects.filter(pk=row.pk).update(events=F("events") + events)
