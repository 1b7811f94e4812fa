"""Conditions on properties: of events in metrics, of visitors in audiences."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any, Literal

from neat_verdict.core.checks import InputError

Value = str | float | bool
ValueKind = Literal["text", "number", "true_false", "date", "version"]
Operator = Literal[
    "is", "is_not", "any_of", "contains", "starts_with", "ends_with", "greater", "less", "between", "is_set"
]
OPERATORS: dict[ValueKind, tuple[Operator, ...]] = {
    "text": ("is", "is_not", "any_of", "contains", "starts_with", "ends_with", "is_set"),
    "number": ("is", "is_not", "any_of", "greater", "less", "between", "is_set"),
    "true_false": ("is", "is_not", "is_set"),
    "date": ("is", "is_not", "any_of", "greater", "less", "between", "is_set"),
    "version": ("is", "is_not", "any_of", "greater", "less", "between", "is_set"),
}
OPERATOR_WORDS: dict[Operator, str] = {
    "is": "is", "is_not": "is not", "any_of": "is any of", "contains": "contains", "starts_with": "starts with",
    "ends_with": "ends with",
    "greater": "is greater than", "less": "is less than", "between": "is between", "is_set": "is set",
}  # fmt: skip
MAX_CONDITIONS = 50
_MANY = (1, 200)
_NEEDED: dict[Operator, tuple[int, int]] = {
    "any_of": _MANY, "contains": _MANY, "starts_with": _MANY, "ends_with": _MANY, "between": (2, 2), "is_set": (0, 0),
}  # fmt: skip
LARGEST_NUMBER = 1e12  # of what is summed: its square in millionths fits a whole number of 128 bits
# Each figure can be taken in one way only, or a long text would be tried in all the ways.
NUMBER = re.compile(r"[+-]?(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][+-]?\d+)?$", re.ASCII)
Comparable = str | float | bool | date | tuple[int, ...]


@dataclass(frozen=True, slots=True)
class Condition:
    """``attribute operator values``; values are written as text and read as ``kind`` says.

    Parameters
    ----------
    attribute : str
        Name of the property, not empty.
    operator : one of `OPERATORS` for the kind
    values : tuple of str
        One value; two for "between" (both included), one or more for "any_of", "contains", "starts_with" and "ends_with", of
        which one must hold, none for "is_set". Numbers as "12.5", true or
        false as such, dates as 2026-03-31, versions as 4.12.0. Texts are compared without regard to case.
    kind : "text", "number", "true_false", "date" or "version"

    Raises
    ------
    InputError
        Naming attribute, operator, kind or values.
    """

    attribute: str
    operator: Operator
    values: tuple[str, ...] = ()
    kind: ValueKind = "text"

    def __post_init__(self) -> None:
        if not self.attribute.strip():
            raise InputError("attribute", "empty", "must name a property")
        if self.kind not in OPERATORS:
            raise InputError("kind", self.kind, f"must be one of {', '.join(OPERATORS)}")
        if self.operator not in OPERATORS[self.kind]:
            known = ", ".join(OPERATORS[self.kind])
            raise InputError(
                "operator", self.operator, f"must be one of {known} for a {self.kind.replace('_', ' or ')}"
            )
        least, most = _NEEDED.get(self.operator, (1, 1))
        if not least <= len(self.values) <= most:
            wanted = str(least) if least == most else f"{least} to {most}"
            raise InputError("values", len(self.values), f"must be {wanted} for “{OPERATOR_WORDS[self.operator]}”")
        for value in self.values:
            if _read(value, self.kind) is None:
                raise InputError("values", value or "empty", _EXPECTED[self.kind])

    @property
    def wanted(self) -> list[Comparable]:
        """The values as the condition's kind compares them: texts in small letters, numbers, days, versions as their parts."""
        return [value for value in (_read(text, self.kind) for text in self.values) if value is not None]

    def matches(self, properties: Mapping[str, object]) -> bool:
        """Whether the properties fulfil the condition. One that is absent or of another kind never does; no error."""
        raw = properties.get(self.attribute)
        if raw is None or raw == "":
            return False
        if self.operator == "is_set":
            return True
        seen = _read(raw, self.kind)
        if seen is None:
            return False
        return _TESTS[self.operator](seen, self.wanted)

    def words(self) -> str:
        """ "section is any of cabins, decks"."""
        joint = " and " if self.operator == "between" else ", "
        operator = "is" if self.operator == "any_of" and len(self.values) == 1 else self.operator
        any_of = " any of" if operator in _PARTS and len(self.values) > 1 else ""
        return f"{self.attribute} {OPERATOR_WORDS[operator]}{any_of} {joint.join(self.values)}".strip()


@dataclass(frozen=True, slots=True)
class Group:
    """Conditions of which all, or any one, must hold.

    Raises InputError for a kind other than "all" or "any", or for none or more than 50 conditions.
    """

    kind: Literal["all", "any"]
    conditions: tuple[Condition, ...]

    def __post_init__(self) -> None:
        if self.kind not in ("all", "any"):
            raise InputError("kind", self.kind, "must be all or any")
        if not 1 <= len(self.conditions) <= MAX_CONDITIONS:
            raise InputError("conditions", len(self.conditions), f"must be 1 to {MAX_CONDITIONS} in a group")

    def matches(self, properties: Mapping[str, object]) -> bool:
        """Whether the conditions hold of these properties; one that is absent matches nothing."""
        test = all if self.kind == "all" else any
        return test(condition.matches(properties) for condition in self.conditions)

    def words(self) -> str:
        """ "country is ie and device is phone", or joined by "or"."""
        return f" {'and' if self.kind == 'all' else 'or'} ".join(condition.words() for condition in self.conditions)


def conditions_of(records: Sequence[Mapping[str, Any]], path: str) -> tuple[Condition, ...]:
    """Stored or sent conditions as the core's. Raises InputError whose field is the path to the wrong value."""
    result = []
    for place, record in enumerate(records):
        try:
            values = tuple(str(value) for value in record.get("values", []))
            operator, kind = record.get("operator", "is"), record.get("kind", "text")
            result.append(Condition(record["attribute"].strip(), operator, values, kind))
        except InputError as problem:
            problem.field = f"{path}.{place}.{problem.field}"
            raise
    return tuple(result)


def groups_of(records: Sequence[Mapping[str, Any]], path: str) -> tuple[Group, ...]:
    """Stored or sent groups of conditions as the core's. Raises InputError whose field is the path to the wrong value."""
    result = []
    for place, record in enumerate(records):
        conditions = conditions_of(record.get("conditions") or [], f"{path}.{place}.conditions")
        try:
            result.append(Group(record.get("kind", "all"), conditions))
        except InputError as problem:
            problem.field = f"{path}.{place}.{problem.field}"
            raise
    return tuple(result)


_PARTS = frozenset({"contains", "starts_with", "ends_with"})
_EXPECTED: dict[ValueKind, str] = {
    "text": "must not be empty",
    "number": "must be a number, such as 12.5",
    "true_false": "must be true or false",
    "date": "must be a day, written as 2026-03-31",
    "version": "must be a version, such as 4.12.0",
}


def _read(raw: object, kind: ValueKind) -> Comparable | None:
    """A value as its kind compares; None where it is none of that kind."""
    text = _text(raw)
    if kind == "text":
        return text.lower() or None
    if kind == "true_false":
        return {"true": True, "false": False}.get(text.lower())
    if kind == "version":
        return _version(text)
    if kind == "date":
        return _day(text)
    return float(text) if NUMBER.match(text) and abs(float(text)) != float("inf") else None


def _text(raw: object) -> str:
    """As text, written as JavaScript would: true, 12 for 12.0."""
    if isinstance(raw, bool):
        return "true" if raw else "false"
    if isinstance(raw, float) and raw.is_integer() and abs(raw) < 1e15:
        return str(int(raw))
    return str(raw).strip()


def _day(text: str) -> date | None:
    """The day of a date or of a moment that begins with one."""
    if not re.match(r"\d{4}-\d{2}-\d{2}(?:$|[T ])", text, re.ASCII):
        return None
    try:
        return date.fromisoformat(text[:10])
    except ValueError:
        return None


def _version(text: str) -> tuple[int, ...] | None:
    """4.12 and 4.12.0 are the same; whatever follows the numbers (-beta) is left out."""
    if not (result := re.match(r"v?(\d{1,9}(?:\.\d{1,9}){0,5})(?:[-+ ].*)?$", text, re.ASCII)):
        return None
    parts = [int(part) for part in result[1].split(".")]
    while len(parts) > 1 and parts[-1] == 0:
        parts.pop()
    return tuple(parts)


def _less(a: Comparable, b: Comparable) -> bool:
    return a < b  # type: ignore[operator]  # both are of the condition's kind


_TESTS: dict[Operator, Callable[[Comparable, list[Comparable]], bool]] = {
    "is": lambda seen, wanted: seen == wanted[0],
    "is_not": lambda seen, wanted: seen != wanted[0],
    "any_of": lambda seen, wanted: seen in wanted,
    "contains": lambda seen, wanted: any(str(one) in str(seen) for one in wanted),
    "starts_with": lambda seen, wanted: str(seen).startswith(tuple(map(str, wanted))),
    "ends_with": lambda seen, wanted: str(seen).endswith(tuple(map(str, wanted))),
    "greater": lambda seen, wanted: _less(wanted[0], seen),
    "less": lambda seen, wanted: _less(seen, wanted[0]),
    "between": lambda seen, wanted: not _less(seen, wanted[0]) and not _less(wanted[1], seen),
}


def number_of(raw: object) -> float:
    """A property as a number; nan where it is none, or beyond `LARGEST_NUMBER`."""
    text = "" if raw is None or isinstance(raw, bool) else str(raw).strip()
    number = float(text) if NUMBER.match(text) else math.nan
    return number if abs(number) <= LARGEST_NUMBER else math.nan
