"""What metrics count, and counting it for a unit."""

from neat_verdict.core.metrics.counting import Event, Line, Overall, UnitCount, count_unit, overall
from neat_verdict.core.metrics.definition import KINDS, UNITS, Definition, EventFilter, Measure, MetricKind, Unit
from neat_verdict.core.metrics.totals import Happening, unit_figure

__all__ = [
    "KINDS",
    "UNITS",
    "Definition",
    "Event",
    "EventFilter",
    "Happening",
    "Line",
    "Measure",
    "MetricKind",
    "Overall",
    "Unit",
    "UnitCount",
    "count_unit",
    "overall",
    "unit_figure",
]
