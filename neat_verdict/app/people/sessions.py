"""How long one stays signed in: so many hours without doing anything, and so many days in all."""

from __future__ import annotations

from collections.abc import Callable

from django.conf import settings
from django.contrib.auth import logout
from django.contrib.auth.signals import user_logged_in
from django.dispatch import receiver
from django.http import HttpRequest
from django.http.response import HttpResponseBase

from neat_verdict.app import clock

_BEGAN, _SEEN = "began", "seen"
_RENEWED_AFTER = 0.05  # of the time without doing anything, so that a page that asks again and again writes seldom


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
    elif now - seen > _RENEWED_AFTER * settings.SESSION_COOKIE_AGE:
        session[_SEEN] = now  # which has the cookie renewed too


@receiver(user_logged_in)
def begins(request: HttpRequest, **_: object) -> None:
    """A session that begins is another than before it: Django gives it another key."""
    request.session[_BEGAN] = request.session[_SEEN] = clock.now().timestamp()
