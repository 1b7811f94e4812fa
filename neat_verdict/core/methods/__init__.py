"""The methods of reading. To add one: a module here, and a line below."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from neat_verdict.core.checks import InputError
from neat_verdict.core.methods.always_valid import AlwaysValid
from neat_verdict.core.methods.base import (
    AtMargin,
    Method,
    Reached,
    Setting,
    Threshold,
    bonferroni,
    every_day,
)
from neat_verdict.core.methods.fixed import Fixed
from neat_verdict.core.methods.group_sequential import GroupSequential
from neat_verdict.core.methods.posterior import PosteriorThresholds

METHODS: dict[str, type[Method]] = {
    method.name: method for method in (Fixed, GroupSequential, AlwaysValid, PosteriorThresholds)
}
# What is taken where a plan names no method: the one that needs the least data.
DEFAULT_METHOD: Method = Fixed()


def method_from(record: Mapping[str, Any]) -> Method:
    """A method by its record: ``name`` and settings. Raises InputError for another name or a setting out of its range."""
    name = str(record.get("name", ""))
    if name not in METHODS:
        raise InputError("method", name or "empty", f"must be one of {', '.join(METHODS)}")
    return METHODS[name].from_record(record)


__all__ = [
    "DEFAULT_METHOD",
    "METHODS",
    "AlwaysValid",
    "AtMargin",
    "Fixed",
    "GroupSequential",
    "Method",
    "PosteriorThresholds",
    "Reached",
    "Setting",
    "Threshold",
    "bonferroni",
    "every_day",
    "method_from",
]
