"""From what was sent to events, every one checked. Pure; nothing is stored here."""

from __future__ import annotations

import io
import re
import zlib
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime
from itertools import islice
from typing import Any, NamedTuple

import numpy as np
import orjson

from neat_verdict.core.checks import InputError, check_length
from neat_verdict.core.limits import (
    MAX_BATCH_BYTES,
    MAX_BATCH_EVENTS,
    MAX_BATCH_VALUES,
    MAX_EVENT_NAME,
    MAX_KEY,
    MAX_LETTER,
    MAX_PROPERTIES,
    MAX_PROPERTY_NAME,
    MAX_SENT_ID,
    MAX_TEXT_LENGTH,
    MAX_UNIT_LENGTH,
    MAX_VERSION,
    MAX_WRONG_KEPT,
)
from neat_verdict.core.metrics import EXPOSURE, PAGE_CHANGE_FAILED, PAGE_REACHED
from neat_verdict.core.traffic import SAME_PERSON

_EARLIEST, _LATEST = 946_684_800_000, 4_102_444_800_000  # the years 2000 to 2099
_OWN = frozenset({"id", "unit", "event", "at"})
OTHER_ID = "with"  # what an event that links two ids calls the one that stands for the person
BASE_VERSION = "base_version"  # of an exposure: the version of the page or configuration that all variants stand on
_OF_EXPOSURES = frozenset({"experiment", "variant", "reason"})
OF_A_VARIANT = frozenset({EXPOSURE, PAGE_REACHED, PAGE_CHANGE_FAILED})
_NUMBER_TOO_LARGE = 1e15
_MARKS = b"{", b"[", b","


class Sent(NamedTuple):
    """One event as it will be stored; times in milliseconds since 1970."""

    sent_id: str
    unit: str
    name: str
    at: int
    experiment: str
    letter: str
    forced: bool
    properties: dict[str, Any]


@dataclass(frozen=True, slots=True)
class Bad:
    """An item that is not accepted: its index in the batch, counted from 0, the field and the reason."""

    index: int
    field: str
    reason: str


class BadBatch(Exception):  # noqa: N818
    """Some items are not accepted, so nothing of the batch was stored: the first of them, and their number (``bad_count``)."""

    def __init__(self, bad: list[Bad], bad_count: int, items: int) -> None:
        super().__init__(f"{bad_count} of {items} events are not accepted; nothing of the batch was stored")
        self.bad = bad
        self.bad_count = bad_count


def read_batch(body: bytes, *, gzipped: bool = False, lines: bool = False) -> list[Sent]:
    """The events of a batch: {"events": […]}, a bare list, or one JSON object a line.

    Raises InputError for a body that is no batch at all, BadBatch for one with bad items.
    """
    if gzipped:
        body = _unzipped(body)
    if len(body) > MAX_BATCH_BYTES:
        raise InputError(
            "body", f"{len(body) / 1e6:.0f} MB", f"must be at most {MAX_BATCH_BYTES // 2**20} MB; send it in parts"
        )
    _check_values(body)
    items = list(islice(_lines(body), MAX_BATCH_EVENTS + 1)) if lines else _items(body)
    if len(items) > MAX_BATCH_EVENTS:
        more = f"more than {MAX_BATCH_EVENTS:,}" if lines else len(items)
        raise InputError("events", more, f"must be at most {MAX_BATCH_EVENTS:,} in a batch; send them in parts")
    return read_items(items)


def read_items(items: Sequence[Any]) -> list[Sent]:
    """The events of a list. Raises BadBatch for one with bad items."""
    result, bad, bad_count = [], [], 0
    for index, item in enumerate(items):
        try:
            result.append(read_event(item))
        except InputError as problem:
            bad_count += 1
            if bad_count <= MAX_WRONG_KEPT:
                bad.append(Bad(index, problem.field, str(problem)))
    if bad:
        raise BadBatch(bad, bad_count, len(items))
    return result


def _unzipped(body: bytes) -> bytes:
    unpacking = zlib.decompressobj(wbits=31)
    try:
        unpacked = unpacking.decompress(body, MAX_BATCH_BYTES + 1)
    except zlib.error as problem:
        raise InputError(
            "body", f"{len(body)} bytes", f"must be gzip, as its Content-Encoding says: {problem}"
        ) from problem
    if not unpacking.eof and len(unpacked) <= MAX_BATCH_BYTES:
        raise InputError("body", f"{len(body)} bytes", "must be whole gzip: it ends too early")
    return unpacked


def _check_values(body: bytes) -> None:
    """Refuse what would be far more in memory than as text, before it is read: each value takes a comma or a bracket."""
    if sum(map(body.count, _MARKS)) > MAX_BATCH_VALUES and _marks_outside_texts(body) > MAX_BATCH_VALUES:
        rule = f"must be at most {MAX_BATCH_EVENTS:,} events with {MAX_PROPERTIES} properties each; send them in parts"
        raise InputError("events", f"more than {MAX_BATCH_VALUES:,} values", rule)


def _marks_outside_texts(body: bytes) -> int:
    marks = np.frombuffer(body.replace(rb"\\", b"").replace(rb"\"", b""), np.uint8)
    within = np.bitwise_xor.accumulate(marks == ord('"'))
    return sum(int(np.count_nonzero((marks == ord(mark)) & ~within)) for mark in _MARKS)


def _items(body: bytes) -> list[Any]:
    try:
        parsed = orjson.loads(body)
    except orjson.JSONDecodeError as problem:
        raise InputError("body", _shown(body), f"must be JSON: {problem}") from problem
    items = parsed.get("events") if isinstance(parsed, dict) else parsed
    if not isinstance(items, list):
        raise InputError(
            "events", _kind(items), 'must be a list: {"events": [{"id": …, "unit": …, "event": …, "at": …}]}'
        )
    return items


def _lines(body: bytes) -> Iterator[Any]:
    """One item a line; a line that is no JSON is an item that `read_event` refuses."""
    for line in io.BytesIO(body):
        if line.strip():
            try:
                yield orjson.loads(line)
            except orjson.JSONDecodeError:
                yield line.strip().decode(errors="replace")


def read_event(item: Any) -> Sent:
    """One event. Raises InputError naming the field."""
    if not isinstance(item, dict):
        raise InputError("event", _kind(item), "must be a JSON object with id, unit, event and at")
    name = _text(item, "event", MAX_EVENT_NAME)
    experiment = letter = ""
    forced = False
    if name in OF_A_VARIANT:
        experiment, letter = _text(item, "experiment", MAX_KEY), _text(item, "variant", MAX_LETTER)
        forced = item.get("reason") == "forced"
    known = _OWN | _OF_EXPOSURES if name in OF_A_VARIANT else _OWN
    properties = {key: value for key, value in item.items() if key not in known}
    _check_properties(properties)
    if name == EXPOSURE and properties.get(BASE_VERSION) is not None:
        properties[BASE_VERSION] = _text(properties, BASE_VERSION, MAX_VERSION)
    sent_id, unit = _text(item, "id", MAX_SENT_ID), _text(item, "unit", MAX_UNIT_LENGTH)
    if name == SAME_PERSON:
        properties[OTHER_ID] = _text(item, OTHER_ID, MAX_UNIT_LENGTH)
        if properties[OTHER_ID] == unit:
            raise InputError(OTHER_ID, unit[:40], "must be another id of the same person: that of the account, say")
    return Sent(sent_id, unit, name, _moment(item.get("at")), experiment, letter, forced, properties)


def _check_properties(properties: dict[str, Any]) -> None:
    if len(properties) > MAX_PROPERTIES:
        raise InputError("properties", len(properties), f"must be at most {MAX_PROPERTIES}")
    for key, value in properties.items():
        check_length("property", key, MAX_PROPERTY_NAME)
        if value.__class__ is str:
            if len(value) > MAX_TEXT_LENGTH:
                raise InputError(key[:80], f"{len(value)} characters", f"must be at most {MAX_TEXT_LENGTH}")
        elif not (value is None or isinstance(value, bool | int | float)) or value != value:
            raise InputError(key[:80], _kind(value), "must be text, a number, true, false or null")
        elif isinstance(value, int | float) and abs(value) > _NUMBER_TOO_LARGE:
            raise InputError(key[:80], "a larger number", f"must lie within ±{_NUMBER_TOO_LARGE:g}")


def _text(item: dict[str, Any], field: str, longest: int) -> str:
    value = item.get(field)
    if value.__class__ is int and field in ("id", "unit", OTHER_ID, BASE_VERSION):
        value = str(value)
    if value.__class__ is not str or not 0 < len(value) <= longest or _SURROGATE.search(value):
        shown = value[:40] or "empty" if isinstance(value, str) else _kind(value)
        raise InputError(field, shown, f"must be text of 1 to {longest} characters")
    return value


_SURROGATE = re.compile("[\ud800-\udfff\x00]")


def _moment(value: Any) -> int:
    rule = "must be a moment with its offset, such as 2026-03-31T09:15:00Z, or milliseconds since 1970"
    if value.__class__ is str:
        try:
            parsed = datetime.fromisoformat(value)
        except ValueError as problem:
            raise InputError("at", value[:40] or "empty", rule) from problem
        if parsed.tzinfo is None:
            raise InputError("at", value[:40], "must carry its offset, such as Z or +01:00")
        try:
            result = int(parsed.timestamp() * 1000)
        except (ValueError, OverflowError) as problem:
            raise InputError("at", value[:40], rule) from problem
    elif value.__class__ is int:
        result = value
    else:
        raise InputError("at", _kind(value), rule)
    if not _EARLIEST <= result < _LATEST:
        raise InputError("at", value, "must lie between 2000 and 2099")
    return result


def _kind(value: Any) -> str:
    names = {dict: "an object", list: "a list", str: "text", bool: "true or false", type(None): "nothing"}
    return names.get(type(value), str(value)[:40])


def _shown(body: bytes) -> str:
    return body[:40].decode(errors="replace") or "empty"
