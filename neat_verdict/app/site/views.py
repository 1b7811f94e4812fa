"""What the pages of a site ask and send, from their own origin, with the key that stands in them.

Bodies are JSON sent as text, which a browser sends without asking beforehand (the Fetch standard's safelisted types), and which
a page that is being left can send too (`sendBeacon`). A key or an origin that is not known is answered alike, and nothing is
stored.
"""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from functools import wraps
from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.csrf import csrf_exempt
from django.views.decorators.http import require_http_methods

from neat_verdict.app.collect.batch import BadBatch, read_items
from neat_verdict.app.collect.events import take_in
from neat_verdict.app.http.problems import problem
from neat_verdict.app.http.texts import is_whole
from neat_verdict.app.people.keys import rate, uses
from neat_verdict.app.people.origins import is_allowed
from neat_verdict.app.people.queries import Key, key_of, site_origins
from neat_verdict.app.traffic import assigning
from neat_verdict.app.traffic.sightings import buffer
from neat_verdict.core.checks import InputError
from neat_verdict.core.traffic import MAX_UNIT_LENGTH

MAX_BYTES = 64 * 1024  # as much as a page that is left may send
MAX_EVENTS = 500
PREFLIGHT_SECONDS = 86_400
Answer = Callable[[Key, dict[str, Any]], HttpResponse]


def _open(answer: Answer) -> Callable[[HttpRequest], HttpResponse]:
    """A view for pages of other origins."""

    @csrf_exempt
    @require_http_methods(["POST", "OPTIONS"])
    @wraps(answer)
    def view(request: HttpRequest) -> HttpResponse:
        origin = request.headers.get("Origin", "")
        if request.method == "OPTIONS":
            return _preflight(origin)
        if len(request.body) > MAX_BYTES:
            return problem(413, f"A page sends at most {MAX_BYTES // 1024} kB at once; send it in parts")
        try:
            body = json.loads(request.body)
        except (ValueError, RecursionError):
            body = None
        named = body.get("key") if isinstance(body, dict) else None
        key = key_of(named) if isinstance(named, str) and is_whole(named) else None
        if key is None or key.kind != "site" or not is_allowed(origin, key.origins):
            return problem(403, "This is not open to this page")
        wait = rate.wait(key.id, key.per_minute)
        uses.note(key.id, refused=wait > 0)
        if wait:
            refused = problem(429, f"More than {key.per_minute:,} requests a minute; nothing of this was stored")
            refused.headers["Retry-After"] = str(math.ceil(wait))
            return _readable(refused, origin)
        try:
            return _readable(answer(key, body), origin)
        except InputError as wrong:
            errors = [{"field": wrong.field, "message": str(wrong)}]
            return _readable(problem(422, "A value is not accepted", errors=errors), origin)

    return view


def _readable(answer: HttpResponse, origin: str) -> HttpResponse:
    """The same, so that the page may read it."""
    answer.headers["Access-Control-Allow-Origin"] = origin
    answer.headers["Access-Control-Expose-Headers"] = "Retry-After"
    answer.headers["Cache-Control"] = "no-store"
    answer.headers["Vary"] = "Origin"
    return answer


def _preflight(origin: str) -> HttpResponse:
    """What a browser asks before it sends what is not safelisted; of which key, it does not say."""
    answer = HttpResponse(status=204)
    if not any(is_allowed(origin, origins) for origins in site_origins()):
        return answer
    answer.headers["Access-Control-Allow-Methods"] = "POST"
    answer.headers["Access-Control-Allow-Headers"] = "Content-Type"
    answer.headers["Access-Control-Max-Age"] = str(PREFLIGHT_SECONDS)
    return _readable(answer, origin)


@_open
def assign(_key: Key, body: dict[str, Any]) -> HttpResponse:
    """The parameters of a unit. Of those it takes part in, the experiment and the variant stand with them, for the exposure; of
    others only the value, so that a page learns nothing of tests that do not concern it."""
    unit, properties = body.get("unit"), body.get("properties", {})
    if not isinstance(unit, str) or not 0 < len(unit) <= MAX_UNIT_LENGTH or not is_whole(unit):
        raise InputError("unit", str(unit)[:40], f"must be text of 1 to {MAX_UNIT_LENGTH} characters")
    if not isinstance(properties, dict):
        raise InputError("properties", str(properties)[:40], "must be an object")
    parameters: dict[str, dict[str, Any]] = {}
    for experiment, given in assigning.assign(unit, properties).items():
        shown = {"experiment": experiment, "variant": given.variant, "reason": given.reason} if given.counts else {}
        for name, value in given.parameters.items():
            if name not in parameters or (shown and "experiment" not in parameters[name]):
                parameters[name] = {"value": value, **shown}
    buffer.note(unit, properties)
    return JsonResponse({"parameters": parameters})


@_open
def events(_key: Key, body: dict[str, Any]) -> HttpResponse:
    """Exposures and events: all of them stored, or none."""
    items = body.get("events")
    if not isinstance(items, list) or len(items) > MAX_EVENTS:
        given = len(items) if isinstance(items, list) else type(items).__name__
        raise InputError("events", given, f"must be a list of at most {MAX_EVENTS} events")
    try:
        batch = read_items(items)
    except BadBatch as refused:
        errors = [{"field": f"events.{bad.index}.{bad.field}", "message": bad.reason} for bad in refused.bad]
        return problem(422, str(refused), errors=errors)
    return JsonResponse({"accepted": take_in(batch).accepted})
