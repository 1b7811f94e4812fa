"""OpenFeature's Remote Evaluation Protocol (OFREP, openfeature.dev), so that the clients of that standard ask us unchanged.

Its keys are the parameters that a site knows, never experiments. Being evaluated is not being exposed, as a bulk evaluation puts
every visitor into every test: what an exposure needs (experiment, variant, reason) comes with each flag as metadata, for a hook
or an event to send once the difference is shown.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable
from functools import wraps
from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.csrf import csrf_exempt
from django.views.decorators.http import require_http_methods

from neat_verdict.app.http.texts import is_whole
from neat_verdict.app.http.versions import has_it
from neat_verdict.app.people.keys import seconds_to_wait
from neat_verdict.app.people.origins import is_allowed
from neat_verdict.app.people.queries import key_of
from neat_verdict.app.site.doors import is_too_large, preflight, readable
from neat_verdict.app.traffic.assigning import GivenParameter, parameters_for, within_limits
from neat_verdict.app.traffic.sightings import buffer
from neat_verdict.core.limits import MAX_PAGE_BYTES, MAX_UNIT_LENGTH

_REASONS = {"assigned": "SPLIT", "forced": "TARGETING_MATCH"}


def _keyed(answer: Callable[..., HttpResponse]) -> Callable[..., HttpResponse]:
    """A view for a server with its key, or a page with its site's, as bearer or as X-API-Key."""

    @csrf_exempt
    @require_http_methods(["POST", "OPTIONS"])
    @wraps(answer)
    def view(request: HttpRequest, **named: str) -> HttpResponse:
        origin = request.headers.get("Origin", "")
        if request.method == "OPTIONS":
            return preflight(origin, "Authorization, Content-Type, If-None-Match, X-API-Key")
        scheme, _, bearer = request.headers.get("Authorization", "").partition(" ")
        token = bearer.strip() if scheme.lower() == "bearer" else request.headers.get("X-API-Key", "")
        key = key_of(token)
        if key is None or (key.kind == "site" and not is_allowed(origin, key.origins)):
            return _refused(401, "GENERAL", "the key opens nothing here")
        if "assign" not in key.scopes:
            return _refused(403, "GENERAL", "this key was made without “assign”")
        if wait := seconds_to_wait(key):
            given = _refused(429, "GENERAL", f"more than {key.per_minute:,} requests a minute")
            given.headers["Retry-After"] = str(wait)
        else:
            given = answer(request, **named)
        return readable(given, origin) if key.kind == "site" else given

    return view


def _refused(status: int, code: str, details: str, key: str = "") -> HttpResponse:
    of = {"key": key} if key else {}
    return JsonResponse({**of, "errorCode": code, "errorDetails": details}, status=status)


class BadContext(Exception):  # noqa: N818
    """What the standard calls the code, and the details."""

    def __init__(self, code: str, details: str) -> None:
        super().__init__(details)
        self.code = code


def _parameters(request: HttpRequest) -> dict[str, GivenParameter]:
    """What the unit of the request is given. Raises BadContext."""
    if is_too_large(request):
        raise BadContext("INVALID_CONTEXT", f"the body must be at most {MAX_PAGE_BYTES // 1024} kB")
    try:
        body = json.loads(request.body or b"{}")
    except (ValueError, RecursionError) as problem:
        raise BadContext("PARSE_ERROR", f"the body must be JSON: {problem}") from problem
    context = body.get("context", {}) if isinstance(body, dict) else None
    if not isinstance(context, dict):
        raise BadContext("INVALID_CONTEXT", "context must be an object")
    unit = context.get("targetingKey")
    if unit is None or unit == "":
        raise BadContext("TARGETING_KEY_MISSING", "targetingKey must be the unit: the visitor’s id")
    if not isinstance(unit, str) or len(unit) > MAX_UNIT_LENGTH or not is_whole(unit):
        raise BadContext("INVALID_CONTEXT", f"targetingKey must be text of 1 to {MAX_UNIT_LENGTH} characters")
    properties, _ = within_limits({name: value for name, value in context.items() if name != "targetingKey"})
    buffer.note(unit, properties)
    return parameters_for(unit, properties)


def _flag(key: str, given: GivenParameter) -> dict[str, Any]:
    if given.shown is None:
        return {"key": key, "value": given.value, "reason": "DEFAULT", "variant": "default", "metadata": {}}
    experiment, variant, reason = given.shown
    metadata = {"experiment": experiment, "variant": variant, "reason": reason}
    return {"key": key, "value": given.value, "reason": _REASONS[reason], "variant": variant, "metadata": metadata}


@_keyed
def evaluate(request: HttpRequest, key: str) -> HttpResponse:
    """One parameter."""
    try:
        given = _parameters(request)
    except BadContext as bad:
        return _refused(400, bad.code, str(bad), key)
    if key not in given:
        return _refused(404, "FLAG_NOT_FOUND", f"no experiment or rollout sets {key[:80]} now", key)
    return JsonResponse(_flag(key, given[key]))


@_keyed
def evaluate_all(request: HttpRequest) -> HttpResponse:
    """All parameters; 304 where they are what the client has."""
    try:
        given = _parameters(request)
    except BadContext as bad:
        return _refused(400, bad.code, str(bad))
    answer = JsonResponse({"flags": [_flag(key, one) for key, one in sorted(given.items())]})
    tag = f'"{hashlib.sha256(answer.content).hexdigest()[:20]}"'
    if has_it(request, tag):
        answer = HttpResponse(status=304)  # type: ignore[assignment]
    answer.headers["ETag"] = tag
    return answer
