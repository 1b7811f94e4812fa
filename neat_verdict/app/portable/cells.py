"""Values of the database as cells of a CSV table, and back, to the last digit."""

from __future__ import annotations

import base64
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass

MISSING = "\\N"  # nothing at all, which is another thing than an empty text
_LIKE_MISSING = re.compile(r"\\+N")

Value = int | float | str | bytes


@dataclass(frozen=True, slots=True)
class Kind:
    """How values are written: the names of Django's ``fields``, the field as Table Schema describes it, and both ways."""

    fields: frozenset[str]
    described: Mapping[str, str]
    write: Callable[[Value], str]
    read: Callable[[str], Value]


def _boolean(text: str) -> int:
    return {"false": 0, "true": 1}[text]


def _moment(value: Value) -> str:
    return f"{str(value).replace(' ', 'T')}Z"


def _text(value: Value) -> str:
    """As it is; what looks like nothing gets one backslash more."""
    assert isinstance(value, str)
    return f"\\{value}" if _LIKE_MISSING.fullmatch(value) else value


def _plain(text: str) -> str:
    return text[1:] if _LIKE_MISSING.fullmatch(text) else text


def _bytes(value: Value) -> str:
    assert isinstance(value, bytes)
    return base64.b64encode(value).decode()


KINDS: Mapping[str, Kind] = {
    "boolean": Kind(frozenset(("BooleanField",)), {"type": "boolean"}, lambda value: "true" if value else "false", _boolean),
    "integer": Kind(
        frozenset(
            ("AutoField", "BigAutoField", "IntegerField", "BigIntegerField", "SmallIntegerField", "PositiveIntegerField",
             "PositiveSmallIntegerField", "PositiveBigIntegerField")
        ),
        {"type": "integer"}, str, int,
    ),
    "number": Kind(frozenset(("FloatField",)), {"type": "number"}, lambda value: repr(float(value)), float),
    "date": Kind(frozenset(("DateField",)), {"type": "date"}, str, str),
    "moment": Kind(
        frozenset(("DateTimeField",)), {"type": "datetime"}, _moment, lambda text: text.removesuffix("Z").replace("T", " ")
    ),
    "json": Kind(frozenset(("JSONField",)), {"type": "any", "description": "JSON"}, _text, _plain),
    "binary": Kind(frozenset(("BinaryField",)), {"type": "string", "format": "binary"}, _bytes, base64.b64decode),
    "string": Kind(frozenset(), {"type": "string"}, _text, _plain),
}  # fmt: skip


def cell_of(kind: str, value: Value | None) -> str:
    """A value as a cell."""
    return MISSING if value is None else KINDS[kind].write(value)


def value_of(kind: str, cell: str) -> Value | None:
    """The value of a cell. Raises ValueError or KeyError for one that is none of its kind."""
    return None if cell == MISSING else KINDS[kind].read(cell)
