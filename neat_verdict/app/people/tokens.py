"""Tokens, with which programmes work as an account: made once, withdrawn, with when they were last used."""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from datetime import datetime, timedelta

from django.db import transaction

from neat_verdict.app import clock
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.people.account_log import note
from neat_verdict.app.people.models import TOKEN_SCOPES, Token, User
from neat_verdict.app.people.queries import digest
from neat_verdict.core.checks import InputError

PREFIX = "nvt_"
MAX_DAYS = 366
_NOTED_EVERY = timedelta(minutes=1)


@transaction.atomic
def make_token(by: User, user: User, name: str, scopes: Sequence[str], expires_at: datetime) -> tuple[Token, str]:
    """A token of an account and its secret, which is not kept. Raises InputError for an empty name, scopes that are none or not
    known, and an end that is over or more than a year away."""
    if not name.strip():
        raise InputError("name", "empty", "must say what uses the token")
    unknown = [scope for scope in scopes if scope not in TOKEN_SCOPES]
    if unknown or not scopes:
        raise InputError("scopes", ", ".join(unknown) or "none", f"must be one or several of {', '.join(TOKEN_SCOPES)}")
    now = clock.now()
    if not now < expires_at <= now + timedelta(days=MAX_DAYS):
        raise InputError("expires_at", f"{expires_at:%-d %B %Y}", f"must lie in the next {MAX_DAYS} days")
    secret = PREFIX + secrets.token_urlsafe(32)
    token = Token.objects.create(
        user=user,
        name=name.strip()[:80],
        start=secret[: len(PREFIX) + 5],
        digest=digest(secret),
        scopes=[scope for scope in TOKEN_SCOPES if scope in scopes],
        made_by=by,
        expires_at=expires_at,
    )
    whose = "" if by == user else f" for {user.username}"
    note(by, user, "token", f"Made a token{whose}: {token.name} ({', '.join(token.scopes)})", token=token.pk)
    return token, secret


@transaction.atomic
def withdraw_token(by: User, token: Token) -> Token:
    """From now on it opens nothing. Raises Conflict where it has been withdrawn already."""
    if token.withdrawn_at is not None:
        raise Conflict("This token has been withdrawn already")
    token.withdrawn_at = clock.now()
    token.save(update_fields=["withdrawn_at"])
    whose = "" if by == token.user else f" of {token.user.username}"
    note(by, token.user, "token", f"Withdrew a token{whose}: {token.name}", token=token.pk)
    return token


def token_of(secret: str) -> Token | None:
    """The token with that secret, unless it was withdrawn, is over, or its account is deactivated."""
    found = Token.objects.select_related("user").filter(
        digest=digest(secret), withdrawn_at__isnull=True, expires_at__gt=clock.now(), user__is_active=True
    )
    return found.first()


def note_use(token: Token) -> None:
    """Note that it was used, to the minute."""
    now = clock.now()
    if token.used_at is None or now - token.used_at > _NOTED_EVERY:
        Token.objects.filter(pk=token.pk).update(used_at=now)
