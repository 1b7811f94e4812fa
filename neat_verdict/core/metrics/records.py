"""Definitions as plain values, in which they are stored and sent, and back."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from dataclasses import asdict
from typing import Any, TypeVar

from neat_verdict.core.checks import InputError
from neat_verdict.core.matching import conditions_of, groups_of
from neat_verdict.core.metrics.definition import Definition
from neat_verdict.core.metrics.measures import EventFilter, Measure
from neat_verdict.core.metrics.totals import Total

_T = TypeVar("_T")


def definition_of(record: Mapping[str, Any]) -> Definition:
    """A stored or sent definition as the core's. Raises InputError whose field is the path to the wrong value."""
    return Definition(
        kind=record["kind"],
        measure=_measure(record.get("measure"), "measure"),
        denominator=_measure(record.get("denominator"), "denominator"),
        steps=tuple(_filter(step, f"steps.{index}") for index, step in enumerate(record.get("steps") or [])),
        totals=tuple(_total(line, f"totals.{index}") for index, line in enumerate(record.get("totals") or [])),
        within_hours=record.get("within_hours"),
        window_hours=record.get("window_hours"),
        good_direction=record.get("good_direction", "up"),
        unit=record.get("unit", "percent"),
        currency=record.get("currency", ""),
    )


def record_of(definition: Definition) -> dict[str, Any]:
    """A definition as it is stored: every field, in plain values; `definition_of` reads it back."""
    record: dict[str, Any] = json.loads(json.dumps(asdict(definition)))
    return record


def _measure(record: Mapping[str, Any] | None, path: str) -> Measure | None:
    if record is None:
        return None
    events = _filter(record["events"], f"{path}.events")
    return _at(
        path,
        lambda: Measure(
            record["kind"], events, record.get("amount_of", ""), record.get("cap"), record.get("first_only", False)
        ),
    )


def _filter(record: Mapping[str, Any], path: str) -> EventFilter:
    conditions = conditions_of(record.get("conditions") or [], f"{path}.conditions")
    others = tuple(name.strip() for name in record.get("or_events") or ())
    groups = groups_of(record.get("groups") or [], f"{path}.groups")
    return _at(path, lambda: EventFilter(record["event"].strip(), conditions, others, groups))


def _total(record: Mapping[str, Any], path: str) -> Total:
    return _at(path, lambda: Total(record["of"], record.get("metric", "").strip()))


def _at(path: str, make: Callable[[], _T]) -> _T:
    try:
        return make()
    except InputError as problem:
        problem.field = f"{path}.{problem.field}"
        raise
