"""Reading keys of machines."""

from __future__ import annotations

import hashlib

from django.db import connection


def digest(secret: str) -> str:
    """What is stored of a secret."""
    return hashlib.sha256(secret.encode()).hexdigest()


def key_of(secret: str) -> int | None:
    """The number of the key with that secret, unless it has been withdrawn."""
    # Written out: every assignment passes here, and building the query would cost more than asking it.
    with connection.cursor() as cursor:
        cursor.execute("SELECT id FROM people_machinekey WHERE digest = %s AND withdrawn_at IS NULL", [digest(secret)])
        row = cursor.fetchone()
    return row[0] if row else None
