"""Examples of values for the description of the API, of the shape that a schema asks for; the same every time.

A schema that has ``examples`` gives its own. Of the rest each field gets a value that its name suggests, or its type.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

Schema = Mapping[str, Any]

# Of fields by their names: what they hold wherever they stand.
_NAMED: dict[str, Any] = {
    "key": "fare-calendar",
    "experiment": "fare-calendar",
    "name": "Fare calendar",
    "username": "ada",
    "by": "ada",
    "owner": "ada",
    "made_by": "ada",
    "decided_by": "ada",
    "done_by": "ada",
    "hand_over_to": "mona",
    "first_name": "Ada",
    "last_name": "Tern",
    "display_name": "Ada Tern",
    "email": "ada@tidewick.example",
    "password": "a long sentence of your own",
    "current": "the sentence before it",
    "code": "123456",
    "role": "analyst",
    "letter": "B",
    "variant": "B",
    "letters": ["A", "B"],
    "control": "A",
    "treated": "B",
    "metric": "booking-rate",
    "unit": "u-20417",
    "unit_name": "visitor",
    "area": "Booking",
    "currency": "EUR",
    "time_zone": "Europe/Lisbon",
    "confidence": 0.95,
    "power": 0.8,
    "baseline": 0.05,
    "worthwhile_lift": 0.05,
    "participation": 1.0,
    "address": "https://tidewick.example/fares",
    "page": "https://tidewick.example/fares",
    "url": "https://tidewick.example/hooks",
    "href": "/experiments/fare-calendar",
    "path": "/experiments/fare-calendar",
    "origins": ["https://tidewick.example"],
    "event": "booking",
    "region": "north-coast",
    "reason": "Agreed in the weekly review",
    "note": "For the weekly review",
    "hypothesis": "Whoever sees the cheapest day of a month at once books sooner.",
    "state": "running",
    "verdict": "winner",
    "token": "9Wk2hVqTn4s",
    "secret": "9Wk2hVqTn4s",
    "digest": "5f2c9a",
    "version": 3,
    "scopes": ["read"],
    "columns": "{}",
    "place": "MQ",
}
_BY_FORMAT = {
    "date": "2026-03-02",
    "date-time": "2026-03-02T09:00:00Z",
    "time": "09:00:00",
    "binary": "",
    "uri": "https://neat-verdict.example/problems/not-accepted",
}
_DEEPEST = 9  # of what holds itself, as a rule of rules does


@dataclass(frozen=True, slots=True)
class Examples:
    """Makes examples for schemas (JSON Schema) with references to ``components``: ``whole`` with every field, as answers have
    them, else with those that must be there, as a request may leave out the rest."""

    components: Mapping[str, Schema]
    whole: bool

    def of(self, schema: Schema, name: str = "", depth: int = 0) -> Any:
        """A value that ``schema`` accepts, of the field ``name`` if it is one."""
        if "$ref" in schema:
            return self.of(self.components[schema["$ref"].rsplit("/", 1)[-1]], name, depth + 1)
        for given in ("examples", "enum"):
            if given in schema:
                return schema[given][0]
        if "const" in schema:
            return schema["const"]
        if schema.get("default") is not None and name not in _NAMED:
            return schema["default"]
        for several in ("allOf", "anyOf", "oneOf"):
            if several in schema:
                ways = [way for way in schema[several] if way.get("type") != "null"]
                return self.of(ways[0], name, depth + 1) if ways and depth < _DEEPEST else None
        kind = schema.get("type")
        kind = kind[0] if isinstance(kind, list) else kind
        if kind == "object" or "properties" in schema:
            return self._object(schema, depth)
        return self._array(schema, name, depth) if kind == "array" else _scalar(kind, schema, name)

    def _object(self, schema: Schema, depth: int) -> dict[str, Any]:
        fields = schema.get("properties", {})
        wanted = fields if self.whole and depth < _DEEPEST else schema.get("required", ())
        made = {field: self.of(fields[field], field, depth + 1) for field in wanted}
        free = schema.get("additionalProperties")
        if not fields and isinstance(free, Mapping):
            made["B"] = self.of(free, "", depth + 1)
        return made

    def _array(self, schema: Schema, name: str, depth: int) -> list[Any]:
        if isinstance(_NAMED.get(name), list):
            return list(_NAMED[name])
        if "prefixItems" in schema:
            return [self.of(item, "", depth + 1) for item in schema["prefixItems"]]
        fewest = schema.get("minItems", 0)
        if depth >= _DEEPEST and not fewest:
            return []
        return [self.of(schema.get("items", {}), name, depth + 1)] * max(fewest, 1)


def _scalar(kind: str | None, schema: Schema, name: str) -> Any:
    named = _NAMED.get(name)
    if kind == "string":
        if schema.get("format") in _BY_FORMAT:
            return _BY_FORMAT[schema["format"]]
        if isinstance(named, str):
            return named
        return name.replace("_", " ").capitalize() or "text"
    if kind == "boolean":
        return True
    if kind in ("integer", "number"):
        if isinstance(named, int | float) and (kind == "number" or isinstance(named, int)):
            return named
        lowest = schema.get("minimum", schema.get("exclusiveMinimum", 0))
        return max(1, lowest) if kind == "integer" else max(0.5, lowest)
    return None
