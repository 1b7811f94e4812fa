"""Which events have come in, with the properties they carry: what there is to choose from where a metric is defined."""

from __future__ import annotations

import json
from collections import Counter
from dataclasses import dataclass

from neat_verdict.app.collect.models import Event, Sighting

LATEST = 5000  # events that are looked through
NAMES_SHOWN, VALUES_SHOWN, VALUE_LENGTH = 200, 8, 80


@dataclass(frozen=True, slots=True)
class SeenProperty:
    """A property with its most frequent values, as conditions write them."""

    name: str
    values: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class SeenEvent:
    """An event that came in so many ``times``; its properties are those among the latest events of all."""

    name: str
    times: int
    properties: tuple[SeenProperty, ...]


def seen_events() -> list[SeenEvent]:
    """By name. Own ids and the like are properties too: whoever may see them may see events."""
    sightings = Sighting.objects.filter(kind="event").order_by("-last_at").values_list("name", "times")[:NAMES_SHOWN]
    values: dict[str, dict[str, Counter[str]]] = {}
    for name, properties in Event.objects.order_by("-pk").values_list("name", "properties")[:LATEST]:
        for key, raw in properties.items():
            if raw is not None and (text := _as_written(raw)):
                values.setdefault(name, {}).setdefault(key, Counter())[text] += 1
    return [SeenEvent(name, times, _properties(values.get(name, {}))) for name, times in sorted(sightings)]


def _properties(values: dict[str, Counter[str]]) -> tuple[SeenProperty, ...]:
    return tuple(
        SeenProperty(name, tuple(text for text, _ in counted.most_common(VALUES_SHOWN)))
        for name, counted in sorted(values.items())
    )


def _as_written(raw: object) -> str:
    """A value as a condition has it; "" for one too long to choose."""
    text = raw.strip() if isinstance(raw, str) else json.dumps(raw)
    return text if len(text) <= VALUE_LENGTH else ""
