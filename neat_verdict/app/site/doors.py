"""What all doors for pages have in common: who may read an answer, and what a browser asks beforehand."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse

from neat_verdict.app.people.origins import is_allowed
from neat_verdict.app.people.queries import site_origins
from neat_verdict.core.limits import MAX_PAGE_BYTES

_PREFLIGHT_SECONDS = 86_400


def is_too_large(request: HttpRequest) -> bool:
    """Whether the body is; by what its head says, before any of it is read."""
    length = request.headers.get("Content-Length", "")
    return (int(length) if length.isdecimal() else 0) > MAX_PAGE_BYTES or len(request.body) > MAX_PAGE_BYTES


def readable(answer: HttpResponse, origin: str) -> HttpResponse:
    """The same, so that a page of the origin may read it."""
    answer.headers["Access-Control-Allow-Origin"] = origin
    answer.headers["Access-Control-Expose-Headers"] = "ETag, Retry-After"
    answer.headers["Cache-Control"] = "no-store"
    answer.headers["Vary"] = "Origin"
    return answer


def preflight(origin: str, headers: str) -> HttpResponse:
    """What a browser asks before it sends what is not safelisted; of which key, it does not say."""
    answer = HttpResponse(status=204)
    if not any(is_allowed(origin, origins) for origins in site_origins()):
        return answer
    answer.headers["Access-Control-Allow-Methods"] = "POST"
    answer.headers["Access-Control-Allow-Headers"] = headers
    answer.headers["Access-Control-Max-Age"] = str(_PREFLIGHT_SECONDS)
    return readable(answer, origin)
