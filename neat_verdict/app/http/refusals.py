"""Refusals that no room of ours has made, as problem documents too: of the framework, of what stands before it, of failures."""

from __future__ import annotations

from collections.abc import Callable

from django.http import HttpRequest
from django.http.response import HttpResponseBase

from neat_verdict.app.http.problems import KINDS, problem

# Answers of pages are for people.
_OF_MACHINES = ("/api/", "/site/", "/ofrep/")
_KEPT = ("Allow", "Retry-After", "WWW-Authenticate", "Access-Control-Allow-Origin", "Vary")


class EveryRefusalIsAProblem:
    """Middleware, outside of all that may refuse."""

    def __init__(self, answer: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.answer = answer

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        response = self.answer(request)
        # What our rooms refuse is a problem document, or says in plain text what to do; pages are the framework's.
        page = response.headers.get("Content-Type", "").startswith("text/html")
        if response.status_code < 400 or not page or not request.path.startswith(_OF_MACHINES):
            return response
        kind = KINDS.get(response.status_code, KINDS[500] if response.status_code >= 500 else KINDS[400])
        made = problem(kind.status, kind.meaning)
        for name in _KEPT:
            if name in response.headers:
                made.headers[name] = response.headers[name]
        return made
