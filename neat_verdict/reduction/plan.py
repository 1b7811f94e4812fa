"""What is to be counted of an experiment, as the application hands it over."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from neat_verdict.core.matching import groups_of
from neat_verdict.core.metrics import Definition, Tallying, definition_of
from neat_verdict.core.traffic import NeverCounted


@dataclass(frozen=True, slots=True)
class PlannedMetric:
    """A metric, and how many days before its first exposure a unit is looked at (None: not at all)."""

    key: str
    definition: Definition
    before_days: int | None

    @property
    def tallying(self) -> Tallying:
        """How its units are tallied."""
        return self.definition.rules.tallying(self.before_days)


@dataclass(frozen=True, slots=True)
class Plan:
    """An experiment's round as its data are reduced by. Moments are milliseconds since 1970.

    ``letters`` are those of the variants, control first; ``segments`` the properties, and combinations of them, by which tallies
    are kept, and ``kept_values``, of those with too many values, the segments that stay, while others are together.
    ``forgotten`` are ids that must not be counted and are still to be erased; ``digest`` changes with whatever changes what is
    counted.
    """

    experiment: str
    round: int
    zone: str
    started: int
    ended: int | None
    letters: tuple[str, ...]
    metrics: tuple[PlannedMetric, ...]
    segments: tuple[tuple[str, ...], ...]
    kept_values: Mapping[tuple[str, ...], tuple[str, ...]]
    never_counted: NeverCounted
    forgotten: tuple[str, ...]
    digest: str

    @property
    def event_names(self) -> tuple[str, ...]:
        """Names of all events that some metric counts."""
        return tuple(dict.fromkeys(name for metric in self.metrics for name in metric.definition.event_names))


def plan_of(record: Mapping[str, Any]) -> Plan:
    """A plan as it was sent: the fields of `Plan`, definitions and rules in plain values. Raises InputError for values that none
    may have."""
    never = record["never_counted"]
    return Plan(
        experiment=record["experiment"],
        round=record["round"],
        zone=record["zone"],
        started=record["started"],
        ended=record["ended"],
        letters=tuple(record["letters"]),
        metrics=tuple(
            PlannedMetric(one["key"], definition_of(one["definition"]), one["before_days"]) for one in record["metrics"]
        ),
        segments=tuple(tuple(names) for names in record["segments"]),
        kept_values={tuple(one["names"]): tuple(one["segments"]) for one in record["kept_values"]},
        never_counted=NeverCounted(
            frozenset(never["units"]), groups_of(never["groups"], "never_counted.groups"), never.get("more_than")
        ),
        forgotten=tuple(record["forgotten"]),
        digest=digest_of(record),
    )


def digest_of(record: Mapping[str, Any]) -> str:
    """Of plain values: the same for the same, in whatever order their names stand."""
    text = json.dumps(record, sort_keys=True, separators=(",", ":"), ensure_ascii=False)
    return hashlib.sha256(text.encode()).hexdigest()[:32]
