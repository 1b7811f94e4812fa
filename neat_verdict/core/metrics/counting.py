"""A unit's figure by a metric's definition, and the reason for each of its events."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from neat_verdict.core.checks import InputError
from neat_verdict.core.metrics.definition import Definition
from neat_verdict.core.metrics.measures import TimedEvent

_HOUR = 3_600_000


@dataclass(frozen=True, slots=True)
class Event:
    """Something a unit did: its name, the moment (aware), and properties."""

    name: str
    at: datetime
    properties: Mapping[str, object]

    @property
    def timed(self) -> TimedEvent:
        """As `unit_figure` takes it."""
        return round(self.at.timestamp() * 1000), self.name, self.properties


@dataclass(frozen=True, slots=True)
class Line:
    """One event, whether it counts, and why or why not."""

    event: Event
    counted: bool
    reason: str


@dataclass(frozen=True, slots=True)
class UnitCount:
    """What one unit comes to: its ``figure`` as `unit_figure` has it, and the reason for each event."""

    figure: tuple[float, ...]
    lines: tuple[Line, ...]


def unit_figure(
    definition: Definition,
    exposed_at: int,
    events: Sequence[TimedEvent],
    until: int | None = None,
    before_days: int | None = None,
) -> tuple[float, ...]:
    """(value,) of one unit; (numerator, denominator) of a ratio; (value, step 1, step 2, …) where steps are tallied, each 0 or 1.

    Parameters
    ----------
    exposed_at : int
        The first exposure, in milliseconds since 1970.
    events : sequence of (milliseconds, name, properties)
        In the order of their moments.
    until : int, optional
        Events later than this do not count where the metric has no window of its own.
    before_days : int, optional
        Of a kind that can be adjusted: gives (value, value before), what the same measure came to in the days before the
        exposure.
    """
    last = _last(definition, exposed_at, until)
    timely = [event for event in events if event[0] >= exposed_at and (last is None or event[0] <= last)]
    figure = definition.rules.figure(definition, timely)
    if not (before_days and definition.rules.adjustable):
        return figure
    since = exposed_at - before_days * 24 * _HOUR
    before = [event for event in events if since <= event[0] < exposed_at]
    return (*figure, *definition.rules.figure(definition, before))


def _last(definition: Definition, exposed_at: int, until: int | None) -> int | None:
    return exposed_at + int(definition.window_hours * _HOUR) if definition.window_hours else until


def count_unit(definition: Definition, exposed_at: datetime, events: Sequence[Event]) -> UnitCount:
    """Count one unit's events, taken in the order of their moments, with the reason for each.

    Only events from the first exposure on, and within the window, count. An amount whose property is no number counts
    nothing, and says so.
    """
    ordered = sorted(events, key=lambda event: event.at)
    since = round(exposed_at.timestamp() * 1000)
    last = _last(definition, since, None)
    why = {place: _untimely(event.timed[0], since, last) for place, event in enumerate(ordered)}
    timely = [event.timed for place, event in enumerate(ordered) if not why[place]]
    reasons = iter(definition.rules.reasons(definition, timely))
    lines = []
    for place, event in enumerate(ordered):
        if why[place]:
            lines.append(Line(event, False, why[place]))
        else:
            result = next(reasons)
            lines.append(Line(event, result.counted, result.words))
    return UnitCount(definition.rules.figure(definition, timely), tuple(lines))


def _untimely(at: int, since: int, last: int | None) -> str:
    if at < since:
        return "before the first exposure"
    return "after the window" if last is not None and at > last else ""


@dataclass(frozen=True, slots=True)
class Overall:
    """All units together: ``figure`` in the metric's own scale (a share for rates), with what it is made of."""

    units: int
    numerator: float
    denominator: float
    figure: float
    steps: tuple[int, ...]


def overall(definition: Definition, counts: Sequence[UnitCount]) -> Overall:
    """The metric over units. Raises InputError with no unit. The figure is nan where a ratio has a denominator of 0, or a
    quantile too few values."""
    if not counts:
        raise InputError("units", 0, "must be 1 or more")
    figures = [count.figure for count in counts]
    numerator, denominator = definition.rules.overall(definition, figures)
    scale = 1000.0 if definition.unit == "per_thousand" else 1.0
    figure = scale * definition.rules.level(definition, figures)
    steps = definition.rules.steps(definition)
    reached = tuple(int(sum(count.figure[1 + step] for count in counts)) for step in range(steps))
    return Overall(len(counts), numerator, denominator, figure, reached)
