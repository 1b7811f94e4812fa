"""Reading accounts, and keys of machines."""

from __future__ import annotations

import hashlib
from datetime import UTC
from typing import NamedTuple

import orjson
from django.db import connection
from django.db.models import Q, QuerySet

from neat_verdict.app import clock
from neat_verdict.app.people.models import MachineKey, User


def digest(secret: str) -> str:
    """What is stored of a secret."""
    return hashlib.sha256(secret.encode()).hexdigest()


def name_of(typed: str) -> str:
    """The name to sign in with that was meant: an address of mail is that of the one account that has it."""
    name = typed.strip()
    if "@" in name and not User.objects.filter(username=name).exists():
        found = list(User.objects.filter(email__iexact=name, is_active=True).values_list("username", flat=True)[:2])
        return found[0] if len(found) == 1 else name
    return name


class Key(NamedTuple):
    """A key that opens something: of a ``server`` or a ``site``."""

    id: int
    kind: str
    scopes: list[str]
    origins: list[str]
    per_minute: int
    events_per_day: int


def site_origins() -> list[list[str]]:
    """The origins of all sites' keys that open something."""
    return list(_in_use().filter(kind="site").values_list("origins", flat=True))


def site_key() -> str:
    """The key of a site that was made last; "" where none has one."""
    return _in_use().filter(kind="site").values_list("public", flat=True).first() or ""


def keys_in_use() -> int:
    """How many keys open something."""
    return _in_use().count()


def _in_use() -> QuerySet[MachineKey]:
    valid = Q(expires_at__isnull=True) | Q(expires_at__gt=clock.now())
    return MachineKey.objects.filter(valid, withdrawn_at__isnull=True)


def key_of(secret: str) -> Key | None:
    """The key with that secret, unless it has been withdrawn or has expired."""
    # Written out: every assignment passes here, and building the query would cost more than asking it.
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT id, kind, scopes, origins, per_minute, events_per_day FROM people_machinekey "
            "WHERE digest = %s AND withdrawn_at IS NULL AND (expires_at IS NULL OR expires_at > %s)",
            [digest(secret), clock.now().astimezone(UTC).strftime("%Y-%m-%d %H:%M:%S.%f")],
        )
        row = cursor.fetchone()
    return Key(row[0], row[1], orjson.loads(row[2]), orjson.loads(row[3]), row[4], row[5]) if row else None
