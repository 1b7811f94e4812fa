"""While the database is known to be damaged it may be read, and nothing is written to it."""

from __future__ import annotations

from collections.abc import Callable

from django.http import HttpRequest, HttpResponseBase

from neat_verdict.app.http.methods import SAFE
from neat_verdict.app.http.problems import problem
from neat_verdict.app.integrity import known_damage


class NothingIsWrittenToDamage:
    def __init__(self, answer: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.answer = answer

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        if request.method not in SAFE and known_damage():
            return problem(
                503,
                "The database is damaged: nothing is stored until a copy has been put in its place; docs/operations.md says how",
            )
        return self.answer(request)
