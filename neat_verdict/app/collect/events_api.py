"""Events in, over HTTP, from machines."""

from __future__ import annotations

from dataclasses import asdict

from django.http import HttpRequest, HttpResponse, JsonResponse
from ninja import Router, Schema

from neat_verdict.app.collect.batch import BadBatch, read_batch
from neat_verdict.app.collect.events import take_in_of
from neat_verdict.app.http.bodies import body_of
from neat_verdict.app.http.problems import problem
from neat_verdict.app.people.auth import MachineAuth
from neat_verdict.core.limits import MAX_BATCH_BYTES, MAX_EVENT_NAME, MAX_SENT_ID, MAX_UNIT_LENGTH, MAX_VERSION

router = Router(tags=["machines"])
_LINES = ("application/x-ndjson", "application/jsonl", "application/ndjson")


class ReceiptOut(Schema):
    """``unknown`` names what is kept but counted nowhere; ``unexposed`` are events of units that were never exposed; ``too_old``
    were not taken in, because what happened when they did is put away."""

    accepted: int
    duplicates: int
    late: int
    held: int
    unexposed: int
    unknown: dict[str, int]
    too_old: int


_EVENT = {
    "type": "object",
    "required": ["id", "unit", "event", "at"],
    "properties": {
        "id": {
            "type": "string",
            "minLength": 1,
            "maxLength": MAX_SENT_ID,
            "description": "The sender's own; the same counts once",
        },
        "unit": {"type": "string", "minLength": 1, "maxLength": MAX_UNIT_LENGTH},
        "event": {
            "type": "string",
            "minLength": 1,
            "maxLength": MAX_EVENT_NAME,
            "description": '"exposure", or a name of your own',
        },
        "at": {"type": "string", "format": "date-time"},
        "experiment": {"type": "string", "description": "Of an exposure: the experiment's key"},
        "variant": {"type": "string", "description": "Of an exposure: the letter that was shown"},
        "base_version": {
            "type": "string",
            "maxLength": MAX_VERSION,
            "description": "Of an exposure: version or fingerprint of the page or configuration that all variants stand on",
        },
        "reason": {"type": "string", "description": "Of an exposure: forced, where somebody looked at it on purpose"},
    },
    "additionalProperties": {"type": ["string", "number", "boolean", "null"]},
}
_BATCH = {"type": "object", "required": ["events"], "properties": {"events": {"type": "array", "items": _EVENT}}}


@router.post(
    "/collect",
    response=ReceiptOut,
    operation_id="collect",
    auth=MachineAuth("collect"),
    openapi_extra={
        "requestBody": {
            "required": True,
            "content": {
                "application/json": {"schema": _BATCH},
                "application/x-ndjson": {"schema": {"type": "string"}},
            },
        },
    },
)
def collect(request: HttpRequest) -> HttpResponse:
    """A batch of exposures and events: wholly stored, or refused with the index and reason of each bad item."""
    lines = (request.content_type or "") in _LINES
    gzipped = request.headers.get("Content-Encoding", "").lower() == "gzip"
    try:
        batch = read_batch(body_of(request, MAX_BATCH_BYTES), gzipped=gzipped, lines=lines)
    except BadBatch as refused:
        errors = [{"field": f"events.{bad.index}.{bad.field}", "message": bad.reason} for bad in refused.bad]
        return problem(422, str(refused), errors=errors, wrong=refused.bad_count)
    return JsonResponse(asdict(take_in_of(request.machine, batch)))  # type: ignore[attr-defined]
