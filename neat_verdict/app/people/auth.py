"""Who is behind a request: a signed-in account, or a machine with its key."""

from __future__ import annotations

from django.core.exceptions import PermissionDenied
from django.http import HttpRequest
from ninja.security import HttpBearer

from neat_verdict.app.people.keys import uses
from neat_verdict.app.people.models import SCOPES, User
from neat_verdict.app.people.queries import key_of


def person(request: HttpRequest) -> User:
    """The signed-in account; the API lets no other request through."""
    assert isinstance(request.user, User)
    return request.user


class MachineAuth(HttpBearer):
    """``Authorization: Bearer nv_…`` (RFC 6750) with a server's key that opens something and has the ``scope``."""

    def __init__(self, scope: str) -> None:
        self.scope = scope
        super().__init__()

    def authenticate(self, _request: HttpRequest, token: str) -> int | None:
        """The key's number. Raises PermissionDenied for a key without the scope."""
        key = key_of(token)
        if key is None or key.kind != "server":
            return None
        if self.scope not in key.scopes:
            raise PermissionDenied(f"This key may not {SCOPES[self.scope]}: it was made without “{self.scope}”")
        uses.note(key.id)
        return key.id
