"""Counting a unit's events by a metric's definition, with the reason for each event."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from neat_verdict.core.checks import InputError
from neat_verdict.core.metrics.definition import Definition, EventFilter, Measure


@dataclass(frozen=True, slots=True)
class Event:
    """Something a unit did: its name, the moment (aware), and properties."""

    name: str
    at: datetime
    properties: Mapping[str, object]


@dataclass(frozen=True, slots=True)
class Line:
    """One event, whether it counts, and why or why not."""

    event: Event
    counted: bool
    reason: str


@dataclass(frozen=True, slots=True)
class UnitCount:
    """What one unit comes to: ``value`` (0 or 1 for rates), ``denominator`` for ratios, ``steps`` reached in a funnel."""

    value: float
    denominator: float | None
    steps: int | None
    lines: tuple[Line, ...]


def count_unit(definition: Definition, exposed_at: datetime, events: Sequence[Event]) -> UnitCount:
    """Count one unit's events, taken in the order of their moments.

    Only events from the first exposure on, and within the window, count. An amount whose property is no number counts
    nothing, and says so.
    """
    ordered = sorted(events, key=lambda event: event.at)
    timely = [(event, _untimely(definition, exposed_at, event)) for event in ordered]
    if definition.kind == "funnel":
        return _funnel(definition, timely)
    assert definition.measure is not None
    value, lines = _measured(definition.measure, timely)
    if definition.denominator is None:
        return UnitCount(value, None, None, tuple(lines))
    denominator, others = _measured(definition.denominator, timely)
    joined = [
        _joined(numerator_line, denominator_line)
        for numerator_line, denominator_line in zip(lines, others, strict=True)
    ]
    return UnitCount(value, denominator, None, tuple(joined))


def _untimely(definition: Definition, exposed_at: datetime, event: Event) -> str:
    if event.at < exposed_at:
        return "before the first exposure"
    if definition.window_hours and event.at > exposed_at + timedelta(hours=definition.window_hours):
        return "after the window"
    return ""


def _unmatched(wanted: EventFilter, event: Event) -> str:
    if event.name != wanted.event:
        return f"not a {wanted.event}"
    failed = next((c for c in wanted.conditions if not c.matches(event.properties)), None)
    if failed is None:
        return ""
    seen = event.properties.get(failed.attribute)
    return f"{failed.attribute} is {'not set' if seen is None else seen}; wanted: {failed.words()}"


def _measured(measure: Measure, timely: Sequence[tuple[Event, str]]) -> tuple[float, list[Line]]:
    total, lines = 0.0, []
    for event, late in timely:
        reason = late or _unmatched(measure.events, event)
        worth = 0.0
        if not reason:
            worth, reason = _worth(measure, event, total)
        total += worth
        lines.append(Line(event, worth != 0 or not reason, reason or f"counts {worth:g}"))
    return total, lines


def _worth(measure: Measure, event: Event, so_far: float) -> tuple[float, str]:
    """What an event adds, and a reason where that is not its whole worth."""
    if measure.kind == "conversion":
        return (1.0, "") if so_far == 0 else (0.0, "converted already")
    worth = 1.0
    if measure.kind == "amount":
        raw = event.properties.get(measure.amount_of)
        try:
            worth = math.nan if raw is None or isinstance(raw, bool) else float(str(raw))
        except ValueError:
            worth = math.nan
        if not math.isfinite(worth):
            return 0.0, f"{measure.amount_of} is {'not set' if raw is None else raw}, which is no number"
    if measure.cap is not None and so_far + worth > measure.cap:
        kept = max(measure.cap - so_far, 0.0)
        return kept, f"counts {kept:g} of {worth:g}: the cap of {measure.cap:g} is reached"
    return worth, ""


def _joined(numerator: Line, denominator: Line) -> Line:
    parts = [
        f"{name}: {line.reason}"
        for name, line in (("above the line", numerator), ("below the line", denominator))
        if line.counted
    ]
    counted = numerator.counted or denominator.counted
    reason = "; ".join(parts) or (
        numerator.reason if numerator.reason == denominator.reason else f"{numerator.reason}, {denominator.reason}"
    )
    return Line(numerator.event, counted, reason)


def _funnel(definition: Definition, timely: Sequence[tuple[Event, str]]) -> UnitCount:
    reached, lines = 0, []
    for event, late in timely:
        if late or reached == len(definition.steps):
            lines.append(Line(event, False, late or "all steps are done already"))
            continue
        reason = _unmatched(definition.steps[reached], event)
        if not reason:
            reached += 1
        lines.append(Line(event, not reason, reason or f"step {reached} of {len(definition.steps)}"))
    return UnitCount(float(reached == len(definition.steps)), None, reached, tuple(lines))


@dataclass(frozen=True, slots=True)
class Overall:
    """All units together: ``figure`` in the metric's own scale (a share for rates), with what it is made of."""

    units: int
    total: float
    denominator: float | None
    figure: float
    steps: tuple[int, ...]


def overall(definition: Definition, counts: Sequence[UnitCount]) -> Overall:
    """The metric over units. Raises InputError with no unit. The figure is nan where a ratio has nothing below the line."""
    if not counts:
        raise InputError("units", 0, "must be 1 or more")
    total = math.fsum(count.value for count in counts)
    below = math.fsum(count.denominator or 0.0 for count in counts) if definition.kind == "ratio" else None
    divisor = len(counts) if below is None else below
    scale = 1000.0 if definition.unit == "per_thousand" else 1.0
    steps = tuple(sum((count.steps or 0) > step for count in counts) for step in range(len(definition.steps)))
    return Overall(len(counts), total, below, scale * total / divisor if divisor else math.nan, steps)
