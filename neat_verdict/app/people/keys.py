"""Keys for servers and sites: made once, withdrawn, with when they were last used and how often they came too fast."""

from __future__ import annotations

import math
import secrets
import threading
import time
from collections import Counter
from collections.abc import Sequence
from datetime import datetime

from django.db import transaction
from django.db.models import F

from neat_verdict.app import clock
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.later import Later
from neat_verdict.app.people.account_log import note
from neat_verdict.app.people.actions import require_editor
from neat_verdict.app.people.models import SCOPES, USUAL_SCOPES, MachineKey, User
from neat_verdict.app.people.origins import MAX_ORIGINS, check_origin
from neat_verdict.app.people.queries import Key, digest
from neat_verdict.core.checks import InputError

PREFIXES = {"server": "nv_", "site": "nvsite_"}
PER_MINUTE = {"site": 6_000, "server": 60_000}  # unless said
MAX_PER_MINUTE, MAX_EVENTS_PER_DAY = 600_000, 1_000_000_000
STORE_AFTER = 10.0  # seconds


@transaction.atomic
def make_key(
    by: User,
    name: str,
    *,
    scopes: Sequence[str] = USUAL_SCOPES,
    expires_at: datetime | None = None,
    per_minute: int = PER_MINUTE["server"],
    events_per_day: int = 0,
) -> tuple[MachineKey, str]:
    """A server's key and its secret, which is not kept. Raises InputError for an empty name, no scope or one that is not known,
    numbers out of range, and an end that is over."""
    named = _named(by, name)
    unknown = [scope for scope in scopes if scope not in SCOPES]
    if unknown or not scopes:
        raise InputError("scopes", ", ".join(unknown) or "none", f"must be one or several of {', '.join(SCOPES)}")
    bounds = _bounds(per_minute, events_per_day)
    return _made(by, "server", named, expires_at, scopes=[scope for scope in SCOPES if scope in scopes], **bounds)


@transaction.atomic
def make_site_key(
    by: User,
    name: str,
    origins: Sequence[str],
    *,
    per_minute: int = PER_MINUTE["site"],
    events_per_day: int = 0,
    expires_at: datetime | None = None,
) -> MachineKey:
    """A site's key, which its pages carry. Raises InputError for an empty name, origins that are none, a rate out of range, and
    an end that is over."""
    named = _named(by, name)
    allowed = list(dict.fromkeys(check_origin(origin) for origin in origins))
    if not 1 <= len(allowed) <= MAX_ORIGINS:
        raise InputError("origins", len(allowed), f"must be 1 to {MAX_ORIGINS}, such as https://www.example.com")
    bounds = _bounds(per_minute, events_per_day)
    return _made(by, "site", named, expires_at, scopes=["assign", "collect"], origins=allowed, **bounds)[0]


def _bounds(per_minute: int, events_per_day: int) -> dict[str, int]:
    if not 1 <= per_minute <= MAX_PER_MINUTE:
        raise InputError("per_minute", per_minute, f"must be 1 to {MAX_PER_MINUTE:,} requests")
    if not 0 <= events_per_day <= MAX_EVENTS_PER_DAY:
        raise InputError("events_per_day", events_per_day, f"must be 0 (as many as come) to {MAX_EVENTS_PER_DAY:,}")
    return {"per_minute": per_minute, "events_per_day": events_per_day}


def _named(by: User, name: str) -> str:
    require_editor(by)
    if not name.strip():
        raise InputError("name", "empty", "must say which system uses the key")
    return name.strip()[:80]


def _made(by: User, kind: str, name: str, expires_at: datetime | None, **fields: object) -> tuple[MachineKey, str]:
    if expires_at is not None and expires_at <= clock.now():
        raise InputError("expires_at", f"{expires_at:%-d %B %Y}", "must lie in the future")
    secret = PREFIXES[kind] + secrets.token_urlsafe(32 if kind == "server" else 18)
    public = secret if kind == "site" else ""
    key = MachineKey.objects.create(
        name=name,
        kind=kind,
        start=secret[: len(PREFIXES[kind]) + 5],
        digest=digest(secret),
        public=public,
        made_by=by,
        expires_at=expires_at,
        **fields,
    )
    note(by, None, "key", f"Made a key for the {kind} {name}", key=key.pk)
    return key, secret


@transaction.atomic
def withdraw_key(by: User, number: int) -> MachineKey:
    """From now on the key opens nothing. Raises Conflict where it has been withdrawn already."""
    require_editor(by)
    key = MachineKey.objects.select_for_update().get(pk=number)
    if key.withdrawn_at is not None:
        raise Conflict("This key has been withdrawn already")
    key.withdrawn_at = clock.now()
    key.save()
    note(by, None, "key", f"Withdrew the key of the {key.kind} {key.name}", key=key.pk)
    return key


class Uses:
    """When keys were last used and how often they came too fast, as this process has seen it and not stored yet."""

    def __init__(self, *, by_itself: bool = True) -> None:
        self.by_itself = by_itself
        self._lock = threading.Lock()
        self._later = Later(self.store, STORE_AFTER)
        self._used: dict[int, datetime] = {}
        self._refused: Counter[int] = Counter()

    def note(self, key: int, *, refused: bool = False) -> None:
        """Note a use, or a request that was refused because it came too fast."""
        with self._lock:
            if refused:
                self._refused[key] += 1
            else:
                self._used[key] = clock.now()
        if self.by_itself:
            self._later.soon()

    def forget(self) -> None:
        """Begin with nothing noted."""
        self._take()

    def store(self) -> None:
        """Store what was noted."""
        used, refused = self._take()
        for key in sorted({*used, *refused}):
            fields: dict[str, object] = {"refused": F("refused") + refused[key]} if refused[key] else {}
            if key in used:
                fields["used_at"] = used[key]
            MachineKey.objects.filter(pk=key).update(**fields)

    def _take(self) -> tuple[dict[int, datetime], Counter[int]]:
        self._later.cancel()
        with self._lock:
            taken = self._used, self._refused
            self._used, self._refused = {}, Counter()
        return taken


uses = Uses()


class Rate:
    """At most so many requests a minute for each key, as a bucket that fills evenly; of this process alone."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._buckets: dict[int, tuple[float, float]] = {}  # by key: requests left, and the moment of that

    def wait(self, key: int, per_minute: int) -> float:
        """0 where a request may come, else the seconds until it may."""
        now = time.monotonic()
        with self._lock:
            left, since = self._buckets.get(key, (float(per_minute), now))
            left = min(per_minute, left + (now - since) * per_minute / 60)
            self._buckets[key] = (left - 1 if left >= 1 else left, now)
        return 0.0 if left >= 1 else (1 - left) * 60 / per_minute

    def forget(self) -> None:
        """Begin with full buckets."""
        with self._lock:
            self._buckets = {}


rate = Rate()


def seconds_to_wait(key: Key) -> int:
    """0 where a request with the key may come, which is noted as a use; else whole seconds, and it is noted as refused."""
    wait = rate.wait(key.id, key.per_minute) if key.per_minute else 0.0
    uses.note(key.id, refused=wait > 0)
    return math.ceil(wait)
