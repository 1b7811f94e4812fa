"""Audience rules as they are stored and sent, made the core's."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from neat_verdict.core.checks import InputError
from neat_verdict.core.matching import Condition
from neat_verdict.core.traffic import Audience, Group, NeverCounted


def audience_of(record: list[dict[str, Any]], path: str = "audience_rules") -> Audience:
    """Stored or sent rules as the core's. Raises InputError whose field is the path to the wrong value."""
    return Audience(_groups(record, path))


def never_counted_of(record: Mapping[str, Any], path: str = "never_counted") -> NeverCounted:
    """Who is never counted, as stored or sent, as the core's. Raises InputError whose field is the path to the wrong value."""
    groups = _groups(record["groups"], f"{path}.groups")
    try:
        units = frozenset(unit.strip() for unit in record["units"])
        return NeverCounted(units, groups, record.get("more_than"))
    except InputError as problem:
        problem.field = f"{path}.{problem.field}"
        raise


def _groups(record: list[dict[str, Any]], path: str) -> tuple[Group, ...]:
    groups = []
    for number, line in enumerate(record):
        conditions = []
        for place, condition in enumerate(line.get("conditions", [])):
            at = f"{path}.{number}.conditions.{place}"
            try:
                values = tuple(str(value) for value in condition.get("values", []))
                kind = condition.get("kind", "text")
                conditions.append(Condition(condition["attribute"].strip(), condition["operator"], values, kind))
            except InputError as problem:
                problem.field = f"{at}.{problem.field}"
                raise
        try:
            groups.append(Group(line.get("kind", "all"), tuple(conditions)))
        except InputError as problem:
            problem.field = f"{path}.{number}.{problem.field}"
            raise
    return tuple(groups)
