"""Who is behind a request: a signed-in account, or a machine with its key."""

from __future__ import annotations

from django.http import HttpRequest
from ninja.security import HttpBearer

from neat_verdict.app.people.models import User
from neat_verdict.app.people.queries import key_of


def person(request: HttpRequest) -> User:
    """The signed-in account; the API lets no other request through."""
    assert isinstance(request.user, User)
    return request.user


class MachineAuth(HttpBearer):
    """``Authorization: Bearer nv_…`` (RFC 6750) with a key that has not been withdrawn."""

    def authenticate(self, _request: HttpRequest, token: str) -> int | None:
        """The key's number."""
        return key_of(token)
