"""Audience rules as they are stored and sent, made the core's."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from neat_verdict.core.checks import InputError
from neat_verdict.core.matching import groups_of
from neat_verdict.core.traffic import Audience, NeverCounted


def audience_of(record: list[dict[str, Any]], path: str = "audience_rules") -> Audience:
    """Stored or sent rules as the core's. Raises InputError whose field is the path to the wrong value."""
    return Audience(groups_of(record, path))


def never_counted_of(record: Mapping[str, Any], path: str = "never_counted") -> NeverCounted:
    """Who is never counted, as stored or sent, as the core's. Raises InputError whose field is the path to the wrong value."""
    groups = groups_of(record["groups"], f"{path}.groups")
    try:
        units = frozenset(unit.strip() for unit in record["units"])
        return NeverCounted(units, groups, record.get("more_than"))
    except InputError as problem:
        problem.field = f"{path}.{problem.field}"
        raise
