"""One line of the log a request: method, route, status, milliseconds and who; never a body, a query or a secret.

The same is measured, but for who (`measures`).
"""

from __future__ import annotations

import logging
import time
from collections.abc import Callable
from typing import Any

from django.contrib.auth.signals import user_login_failed
from django.dispatch import receiver
from django.http import HttpRequest
from django.http.response import HttpResponseBase

from neat_verdict.app.http.clients import address_of
from neat_verdict.app.http.measures import note_request

requests = logging.getLogger("neat_verdict.requests")
sign_ins = logging.getLogger("neat_verdict.sign_ins")


class RequestLog:
    """Middleware; the outermost but for what serves files, so that the time is that of the whole answer."""

    def __init__(self, answer: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.answer = answer

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        began = time.perf_counter()
        response = self.answer(request)
        took = time.perf_counter() - began
        route = _route(request)
        note_request(request.method or "", route, response.status_code, took)
        level = logging.ERROR if response.status_code >= 500 else logging.INFO
        # Asked beforehand, because who it was may cost a query.
        if requests.isEnabledFor(level):
            line = (request.method, route, response.status_code, 1000 * took, _who(request))
            fields = dict(zip(("method", "route", "status", "milliseconds", "who"), line, strict=True))
            requests.log(level, "%s %s %d %.0f ms %s", *line, extra=fields)
        return response


def _route(request: HttpRequest) -> str:
    """The pattern that was asked, so that lines of one route are alike and keys of links stay out of the log."""
    match = request.resolver_match
    return f"/{match.route}" if match else "no route"


def _who(request: HttpRequest) -> str:
    user = getattr(request, "user", None)
    if user is not None and user.is_authenticated:
        return str(user.get_username())
    return "a machine" if "Authorization" in request.headers else "nobody"


@receiver(user_login_failed)
def refused(credentials: dict[str, Any], request: HttpRequest | None = None, **_: Any) -> None:
    """A sign-in that was refused, with the name that was tried and where it came from."""
    place = address_of(request) if request else "unknown"
    tried = str(credentials.get("username", ""))[:80]
    sign_ins.warning("refused a sign-in as %r from %s", tried, place, extra={"tried": tried, "address": place})
