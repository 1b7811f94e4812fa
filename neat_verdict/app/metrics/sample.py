"""Sample events for previews: invented, and read from text as people paste it."""

from __future__ import annotations

import json
from collections.abc import Mapping
from datetime import datetime

from django.utils import timezone

from neat_verdict.core.checks import InputError
from neat_verdict.core.metrics import EXPOSURE, Event

MAX_EVENTS = 2000
SAMPLE = """\
{"unit": "v1", "event": "exposure", "at": "2026-03-02T09:00:00Z"}
{"unit": "v1", "event": "search", "at": "2026-03-02T09:01:00Z", "from": "North Quay", "to": "Selkie Isle"}
{"unit": "v1", "event": "page_view", "at": "2026-03-02T09:02:00Z", "section": "cabins"}
{"unit": "v1", "event": "seat_chosen", "at": "2026-03-02T09:04:00Z", "seat": "12F"}
{"unit": "v1", "event": "booking_paid", "at": "2026-03-02T09:08:00Z", "amount": 84.5, "passengers": 2}
{"unit": "v2", "event": "page_view", "at": "2026-03-02T09:50:00Z", "section": "decks"}
{"unit": "v2", "event": "exposure", "at": "2026-03-02T10:00:00Z"}
{"unit": "v2", "event": "page_view", "at": "2026-03-02T10:01:00Z", "section": "cabins"}
{"unit": "v2", "event": "page_view", "at": "2026-03-02T10:03:00Z", "section": "bars"}
{"unit": "v2", "event": "search", "at": "2026-03-02T10:04:00Z", "from": "North Quay", "to": "Gull Rock"}
{"unit": "v3", "event": "exposure", "at": "2026-03-02T11:00:00Z"}
{"unit": "v3", "event": "search", "at": "2026-03-02T11:01:00Z", "from": "Gull Rock", "to": "North Quay"}
{"unit": "v3", "event": "seat_chosen", "at": "2026-03-02T11:03:00Z", "seat": "3A"}
{"unit": "v3", "event": "booking_paid", "at": "2026-03-02T11:09:00Z", "amount": 41.0, "passengers": 1}
{"unit": "v3", "event": "booking_paid", "at": "2026-03-09T11:09:00Z", "amount": 212.0, "passengers": 5}
{"unit": "v3", "event": "help_opened", "at": "2026-03-09T11:20:00Z"}
{"unit": "v4", "event": "exposure", "at": "2026-03-02T12:00:00Z"}
"""


def read_events(text: str) -> dict[str, tuple[datetime, list[Event]]]:
    """Units with their first exposure and their other events, in the order in which the units come.

    One JSON object a line with unit, event and at; what else it has are properties. A unit without an "exposure" counts from
    its first event on. Raises InputError naming the line.
    """
    units: dict[str, list[tuple[str, datetime, Mapping[str, object]]]] = {}
    lines = [(number, line) for number, line in enumerate(text.splitlines(), start=1) if line.strip()]
    if not lines:
        raise InputError("events", "empty", "must be one JSON object a line with unit, event and at")
    if len(lines) > MAX_EVENTS:
        raise InputError("events", len(lines), f"must be at most {MAX_EVENTS:,} lines")
    for number, line in lines:
        unit, name, moment, properties = _line(number, line)
        units.setdefault(unit, []).append((name, moment, properties))
    return {unit: _unit(happened) for unit, happened in units.items()}


def _line(number: int, line: str) -> tuple[str, str, datetime, Mapping[str, object]]:
    try:
        record = json.loads(line)
    except json.JSONDecodeError as problem:
        raise InputError("events", f"line {number}", f"must be a JSON object: {problem.msg}") from problem
    if not isinstance(record, dict):
        raise InputError("events", f"line {number}", "must be a JSON object with unit, event and at")
    for field in ("unit", "event", "at"):
        if not str(record.get(field) or "").strip():
            raise InputError("events", f"line {number}", f"must have {field}")
    try:
        moment = datetime.fromisoformat(str(record["at"]))
    except ValueError as problem:
        raise InputError(
            "events", f"line {number}", "must have at as a moment, such as 2026-03-02T09:00:00Z"
        ) from problem
    if timezone.is_naive(moment):
        moment = timezone.make_aware(moment)
    properties = {name: value for name, value in record.items() if name not in ("unit", "event", "at")}
    return str(record["unit"]), str(record["event"]), moment, properties


def _unit(happened: list[tuple[str, datetime, Mapping[str, object]]]) -> tuple[datetime, list[Event]]:
    exposures = [moment for name, moment, _ in happened if name == EXPOSURE]
    first = min(exposures or [moment for _, moment, _ in happened])
    return first, [Event(name, moment, properties) for name, moment, properties in happened if name != EXPOSURE]
