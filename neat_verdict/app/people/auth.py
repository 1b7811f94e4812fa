"""Who is behind a request: a signed-in account, a programme with a token of one, or a machine with its key."""

from __future__ import annotations

from django.core.exceptions import PermissionDenied
from django.http import HttpRequest
from ninja.errors import AuthenticationError
from ninja.security import HttpBearer, SessionAuth

from neat_verdict.app.http.methods import SAFE
from neat_verdict.app.http.problems import TooMany
from neat_verdict.app.people.keys import seconds_to_wait
from neat_verdict.app.people.models import SCOPES, TOKEN_SCOPES, User
from neat_verdict.app.people.queries import key_of
from neat_verdict.app.people.tokens import note_use, token_of


def person(request: HttpRequest) -> User:
    """The signed-in account; the API lets no other request through."""
    assert isinstance(request.user, User)
    return request.user


class TokenAuth(HttpBearer):
    """``Authorization: Bearer nvt_…`` (RFC 6750) with a token that has the scope: the one named, or else *read* for what is only
    read and *write* for the rest."""

    def __init__(self, scope: str = "") -> None:
        self.scope = scope
        super().__init__()

    def scope_for(self, method: str) -> str:
        """The scope that a request by a method needs."""
        return self.scope or ("read" if method in SAFE else "write")

    def authenticate(self, request: HttpRequest, secret: str) -> User:
        """The token's account. Raises AuthenticationError for what is no token, PermissionDenied for one without the scope."""
        token = token_of(secret)
        if token is None:
            raise AuthenticationError
        scope = self.scope_for(str(request.method))
        if scope not in token.scopes:
            raise PermissionDenied(f"This token may not {TOKEN_SCOPES[scope]}: it was made without “{scope}”")
        note_use(token)
        request.user = token.user
        return token.user


# A token is looked at first: the session's way refuses what comes without its cookie.
_SIGNED_IN = SessionAuth()
PEOPLE_AND_TOKENS = [TokenAuth(), _SIGNED_IN]
WHO_READS = [TokenAuth("read"), _SIGNED_IN]  # of what is asked by POST and changes nothing
WHO_DECIDES = [TokenAuth("decide"), _SIGNED_IN]
PEOPLE_ONLY = [_SIGNED_IN]


class MachineAuth(HttpBearer):
    """``Authorization: Bearer nv_…`` (RFC 6750) with a server's key that opens something and has the ``scope``."""

    def __init__(self, scope: str) -> None:
        self.scope = scope
        super().__init__()

    def scope_for(self, method: str) -> str:  # noqa: ARG002 - as of a token
        """The scope that a request needs, by whatever method."""
        return self.scope

    def authenticate(self, request: HttpRequest, token: str) -> int | None:
        """The key's number. Raises PermissionDenied for a key without the scope, TooMany where it asks too often."""
        key = key_of(token)
        if key is None or key.kind != "server":
            return None
        if self.scope not in key.scopes:
            raise PermissionDenied(f"This key may not {SCOPES[self.scope]}: it was made without “{self.scope}”")
        if wait := seconds_to_wait(key):
            raise TooMany(f"This key may ask {key.per_minute:,} times a minute", wait)
        request.machine = key  # type: ignore[attr-defined]
        return key.id
