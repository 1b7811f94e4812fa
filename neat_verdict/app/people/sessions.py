"""How long one stays signed in (so many hours without doing anything, and so many days in all), and where one is signed in."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime

from django.conf import settings
from django.contrib.auth import logout
from django.contrib.auth.signals import user_logged_in, user_logged_out
from django.contrib.sessions.models import Session
from django.db import transaction
from django.dispatch import receiver
from django.http import HttpRequest
from django.http.response import HttpResponseBase

from neat_verdict.app import clock
from neat_verdict.app.http.clients import address_of
from neat_verdict.app.people.models import SignedIn, User

_BEGAN, _SEEN = "began", "seen"
# Seconds, and of the time without doing anything, so that a page that asks again and again writes seldom.
_RENEWED_AFTER, _RENEWED_SHARE = 600.0, 0.05
_RECENT = 600  # seconds in which a sign-in counts as just made


class SessionLimits:
    """Middleware, after that of Django's authentication."""

    def __init__(self, answer: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.answer = answer

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        # To look whose a session is has the answer vary by cookie, which what pages of sites load must not.
        if settings.SESSION_COOKIE_NAME in request.COOKIES and request.user.is_authenticated:
            _keep_to_limits(request)
        return self.answer(request)


def _keep_to_limits(request: HttpRequest) -> None:
    now, session = clock.now().timestamp(), request.session
    began = session.setdefault(_BEGAN, now)  # of one that is older than this rule
    seen = session.get(_SEEN, 0.0)
    if now - began > settings.SESSION_DAYS * 86_400 or (seen and now - seen > settings.SESSION_COOKIE_AGE):
        logout(request)
    elif now - seen > min(_RENEWED_AFTER, _RENEWED_SHARE * settings.SESSION_COOKIE_AGE):
        session[_SEEN] = now  # which has the cookie renewed too
        assert isinstance(request.user, User)
        _write_down(request, request.user)


@receiver(user_logged_in)
def begins(request: HttpRequest, user: User, **_: object) -> None:
    """A session that begins is another than before it: Django gives it another key."""
    request.session[_BEGAN] = request.session[_SEEN] = clock.now().timestamp()
    if request.session.session_key is None:
        request.session.save()
    _write_down(request, user)


@receiver(user_logged_out)
def is_over(request: HttpRequest, **_: object) -> None:
    """Nobody is signed in by it any more."""
    SignedIn.objects.filter(session_key=request.session.session_key).delete()


def _write_down(request: HttpRequest, user: User) -> None:
    session = request.session
    fields = {
        "user": user,
        "began": datetime.fromtimestamp(session[_BEGAN], UTC),
        "seen": datetime.fromtimestamp(session[_SEEN], UTC),
        "address": address_of(request)[:64],
        "browser": request.headers.get("User-Agent", "")[:200],
    }
    SignedIn.objects.update_or_create(session_key=session.session_key, defaults=fields)


def is_recent(request: HttpRequest) -> bool:
    """Whether somebody signed in a few minutes ago."""
    return clock.now().timestamp() - request.session.get(_BEGAN, 0.0) < _RECENT


@transaction.atomic
def end_sessions(user: User, *, but: str | None = None, number: int | None = None) -> int:
    """Sign a person out: everywhere, everywhere but in the session of a key, or of one session; returns of how many."""
    chosen = SignedIn.objects.filter(user=user)
    if but is not None:
        chosen = chosen.exclude(session_key=but)
    if number is not None:
        chosen = chosen.filter(pk=number)
    keys = list(chosen.values_list("session_key", flat=True))
    Session.objects.filter(session_key__in=keys).delete()
    return SignedIn.objects.filter(session_key__in=keys).delete()[0]


def forget_ended() -> int:
    """Forget where people were signed in, where that is over; returns of how many."""
    return SignedIn.objects.exclude(session_key__in=Session.objects.values("session_key")).delete()[0]
