"""Keys for machines: made once, shown once, checked by digest."""

from __future__ import annotations

import hashlib
import secrets

from django.db import connection, transaction
from django.http import HttpRequest
from ninja.security import HttpBearer

from neat_verdict.app import clock
from neat_verdict.app.people.actions import require_editor
from neat_verdict.app.people.models import MachineKey, User
from neat_verdict.app.http.problems import Conflict
from neat_verdict.core.checks import InputError

PREFIX = "nv_"


def _digest(secret: str) -> str:
    return hashlib.sha256(secret.encode()).hexdigest()


@transaction.atomic
def make_key(by: User, name: str) -> tuple[MachineKey, str]:
    """A new key and its secret, which is not kept. Raises InputError for an empty name."""
    require_editor(by)
    if not name.strip():
        raise InputError("name", "empty", "must say which system uses the key")
    secret = PREFIX + secrets.token_urlsafe(32)
    key = MachineKey.objects.create(name=name.strip()[:80], start=secret[:8], digest=_digest(secret), made_by=by)
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
    return key


class MachineAuth(HttpBearer):
    """``Authorization: Bearer nv_…`` (RFC 6750) with a key that has not been withdrawn."""

    def authenticate(self, _request: HttpRequest, token: str) -> int | None:
        """The key's number."""
        # Written out: every assignment passes here, and building the query would cost more than asking it.
        with connection.cursor() as cursor:
            cursor.execute(
                "SELECT id FROM people_machinekey WHERE digest = %s AND withdrawn_at IS NULL", [_digest(token)]
            )
            found = cursor.fetchone()
        return found[0] if found else None
