"""Keys for machines: made once, shown once, withdrawn."""

from __future__ import annotations

import secrets

from django.db import transaction

from neat_verdict.app import clock
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.people.actions import require_editor
from neat_verdict.app.people.models import MachineKey, User
from neat_verdict.app.people.queries import digest
from neat_verdict.core.checks import InputError

PREFIX = "nv_"


@transaction.atomic
def make_key(by: User, name: str) -> tuple[MachineKey, str]:
    """A new key and its secret, which is not kept. Raises InputError for an empty name."""
    require_editor(by)
    if not name.strip():
        raise InputError("name", "empty", "must say which system uses the key")
    secret = PREFIX + secrets.token_urlsafe(32)
    key = MachineKey.objects.create(name=name.strip()[:80], start=secret[:8], digest=digest(secret), made_by=by)
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
