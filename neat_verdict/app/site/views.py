"""What the pages of a site ask and send, from their own origin, with the key that stands in them.

Bodies are JSON sent as text, which a browser sends without asking beforehand (the Fetch standard's safelisted types), and which
a page that is being left can send too (`sendBeacon`). A key or an origin that is not known is answered alike, and nothing is
stored.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import asdict, dataclass
from functools import wraps
from typing import Any

from django.core.exceptions import PermissionDenied
from django.db import OperationalError
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.csrf import csrf_exempt
from django.views.decorators.http import require_http_methods

from neat_verdict.app.collect.batch import BadBatch, read_items
from neat_verdict.app.collect.events import take_in_of
from neat_verdict.app.experiments.addresses import same_page
from neat_verdict.app.experiments.page_changes import changes_made
from neat_verdict.app.http.errors import NOTHING, not_stored, too_many_answer
from neat_verdict.app.http.problems import Conflict, Gone, TooMany, problem
from neat_verdict.app.http.texts import is_whole
from neat_verdict.app.people.keys import seconds_to_wait
from neat_verdict.app.people.origins import is_allowed
from neat_verdict.app.people.queries import Key, key_of
from neat_verdict.app.site import pages
from neat_verdict.app.site.doors import is_too_large, preflight, readable
from neat_verdict.app.site.page_use import followed_in, read_use, take_in_use
from neat_verdict.app.site.pointing import as_sent, keep_pointed, pointed
from neat_verdict.app.site.previews import previewed
from neat_verdict.app.traffic.assigning import GivenParameter, parameters_in, passages_in, within_limits
from neat_verdict.app.traffic.assigning import assign as assigned
from neat_verdict.app.traffic.serving import parameters_of
from neat_verdict.app.traffic.sightings import buffer
from neat_verdict.core.checks import InputError
from neat_verdict.core.limits import MAX_PAGE_BYTES, MAX_PAGE_EVENTS, MAX_UNIT_LENGTH

MAX_USES = 20  # experiments on one page


@dataclass(frozen=True, slots=True)
class Asked:
    """What a page sent, and from where."""

    body: dict[str, Any]
    key: Key
    origin: str


Answer = Callable[[Asked], HttpResponse]


def _open(answer: Answer) -> Callable[[HttpRequest], HttpResponse]:
    """A view for pages of other origins."""

    @csrf_exempt
    @require_http_methods(["POST", "OPTIONS"])
    @wraps(answer)
    def view(request: HttpRequest) -> HttpResponse:
        origin = request.headers.get("Origin", "")
        if request.method == "OPTIONS":
            return preflight(origin, "Content-Type")
        if is_too_large(request):
            return problem(413, f"A page sends at most {MAX_PAGE_BYTES // 1024} kB at once; send it in parts")
        try:
            body = json.loads(request.body)
        except (ValueError, RecursionError):
            body = None
        named = body.get("key") if isinstance(body, dict) else None
        key = key_of(named) if isinstance(named, str) and is_whole(named) else None
        if key is None or key.kind != "site" or not is_allowed(origin, key.origins):
            return problem(403, "This is not open to this page")
        if wait := seconds_to_wait(key):
            refused = problem(429, f"More than {key.per_minute:,} requests a minute; nothing of this was stored")
            refused.headers["Retry-After"] = str(wait)
            return readable(refused, origin)
        try:
            return readable(answer(Asked(body, key, origin)), origin)
        except InputError as wrong:
            errors = [{"field": wrong.field, "message": str(wrong)}]
            return readable(problem(422, "A value is not accepted", errors=errors), origin)
        except PermissionDenied as refused:
            return readable(problem(403, str(refused)), origin)
        except Conflict as clash:
            return readable(problem(409, str(clash), **clash.members), origin)
        except Gone as over:
            return readable(problem(410, str(over)), origin)
        except TooMany as refused:
            return readable(too_many_answer(refused), origin)
        except (OperationalError, OSError) as broken:
            return readable(not_stored(broken, NOTHING), origin)

    return view


@_open
def assign(asked: Asked) -> HttpResponse:
    """The parameters of a unit, and where it is sent from the page it is on. Of those it takes part in, the experiment and the
    variant stand with them, for the exposure; of others only the value, so that a page learns nothing of tests that do not
    concern it."""
    body = asked.body
    unit, properties = _unit(body), body.get("properties", {})
    if not isinstance(properties, dict):
        raise InputError("properties", str(properties)[:40], "must be an object")
    properties, _ = within_limits(properties)
    buffer.note(unit, properties)
    _note_page(asked)
    answers = assigned(unit, properties)
    given = {name: _shown(one) for name, one in parameters_in(answers).items()}
    page = body.get("page")
    further: dict[str, Any] = {}
    if isinstance(page, str):
        here = same_page(asked.origin, page)
        further["passages"] = [asdict(one) for one in passages_in(answers, here)]
        assigned_here = {key: (one.variant, one.counts) for key, one in answers.items()}
        further["followed"] = followed_in(assigned_here, here, unit)
    return JsonResponse({"parameters": given, **{name: lines for name, lines in further.items() if lines}})


def _unit(body: dict[str, Any]) -> str:
    unit = body.get("unit")
    if not isinstance(unit, str) or not 0 < len(unit) <= MAX_UNIT_LENGTH or not is_whole(unit):
        raise InputError("unit", str(unit)[:40], f"must be text of 1 to {MAX_UNIT_LENGTH} characters")
    return unit


def _note_page(asked: Asked) -> None:
    body = asked.body
    pages.buffer.note(asked.key.id, asked.origin, body.get("page"), body.get("script"), held=body.get("held") is True)


def _shown(given: GivenParameter) -> dict[str, Any]:
    if given.shown is None:
        return {"value": given.value}
    experiment, variant, reason = given.shown
    return {"value": given.value, "experiment": experiment, "variant": variant, "reason": reason}


@_open
def preview(asked: Asked) -> HttpResponse:
    """What the variant behind a link shows. Nobody is counted, and no id is needed."""
    _note_page(asked)
    variant, expires_at = previewed(str(asked.body.get("token")))
    given = {name: {"value": value} for name, value in parameters_of(variant.parameters).items()}
    shown = {"variant": variant.letter, "name": variant.name, "expires_at": expires_at.isoformat()}
    return JsonResponse({**shown, "parameters": given, "changes": changes_made(variant)})


@_open
def change(asked: Asked) -> HttpResponse:
    """The variant that is changed on the page, by the link of whoever changes it; with ``changes``, all of them, once they are
    kept."""
    token, version = str(asked.body.get("token")), asked.body.get("version")
    if "changes" not in asked.body:
        return JsonResponse(as_sent(pointed(token, asked.origin)))
    if not isinstance(version, int):
        raise InputError("version", str(version)[:40], "must be that of the experiment as it was seen")
    return JsonResponse(as_sent(keep_pointed(token, asked.origin, version, asked.body["changes"])))


@_open
def use(asked: Asked) -> HttpResponse:
    """What a unit that is followed did on a page; of each experiment kept, or not where it takes nothing any more."""
    unit, sent = _unit(asked.body), asked.body.get("uses")
    if not isinstance(sent, list) or not 0 < len(sent) <= MAX_USES:
        raise InputError("uses", str(sent)[:40], f"must be a list of 1 to {MAX_USES}")
    uses = [read_use(one) for one in sent]
    return JsonResponse({"kept": sum(take_in_use(unit, one) for one in uses)})


@_open
def events(asked: Asked) -> HttpResponse:
    """Exposures and events: all of them stored, or none."""
    items = asked.body.get("events")
    if not isinstance(items, list) or len(items) > MAX_PAGE_EVENTS:
        given = len(items) if isinstance(items, list) else type(items).__name__
        raise InputError("events", given, f"must be a list of at most {MAX_PAGE_EVENTS} events")
    try:
        batch = read_items(items)
    except BadBatch as refused:
        errors = [{"field": f"events.{bad.index}.{bad.field}", "message": bad.reason} for bad in refused.bad]
        return problem(422, str(refused), errors=errors)
    return JsonResponse({"accepted": take_in_of(asked.key, batch).accepted})
