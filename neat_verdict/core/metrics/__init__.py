"""What metrics count, and counting it for a unit."""

from neat_verdict.core.metrics.counting import Event, Line, Overall, UnitCount, count_unit, overall, unit_figure
from neat_verdict.core.metrics.definition import UNITS, Definition, Unit
from neat_verdict.core.metrics.kinds import KINDS, MEASURE_KINDS, Kind, kind_named
from neat_verdict.core.metrics.measures import EventFilter, Measure, TimedEvent, whole_millionths
from neat_verdict.core.metrics.records import definition_of, record_of
from neat_verdict.core.metrics.tallying import ALL_COLUMNS, DAILY_TOTALS, RATE, TALLYINGS, THIRD_ORDER, Tallying
from neat_verdict.core.metrics.totals import Total, TotalOf

# The event that says which variant a unit was shown.
EXPOSURE = "exposure"
PAGE_CHANGE_FAILED = "page_change_failed"  # the event by which a page says that a change of a variant could not be made
PAGE_REACHED = "page_reached"  # the event by which a variant that is a page of its own says that a unit arrived

__all__ = [
    "ALL_COLUMNS",
    "DAILY_TOTALS",
    "EXPOSURE",
    "KINDS",
    "MEASURE_KINDS",
    "RATE",
    "TALLYINGS",
    "THIRD_ORDER",
    "UNITS",
    "Definition",
    "Event",
    "EventFilter",
    "Kind",
    "Line",
    "Measure",
    "Overall",
    "Tallying",
    "TimedEvent",
    "Total",
    "TotalOf",
    "Unit",
    "UnitCount",
    "count_unit",
    "definition_of",
    "kind_named",
    "overall",
    "record_of",
    "unit_figure",
    "whole_millionths",
]
