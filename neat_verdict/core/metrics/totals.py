"""A unit's figure alone, without reasons: the same as `counting.count_unit` gives, made for millions of units."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

from neat_verdict.core.metrics.definition import Definition, EventFilter, Measure

# (milliseconds since 1970, name, properties)
Happening = tuple[int, str, Mapping[str, object]]
_HOUR = 3_600_000


def unit_figure(
    definition: Definition,
    exposed_at: int,
    events: Sequence[Happening],
    until: int | None = None,
    before_days: int | None = None,
) -> tuple[float, ...]:
    """(value,) of one unit; (numerator, denominator) of a ratio; (value, step 1, step 2, …) of a funnel, each 0 or 1.

    Parameters
    ----------
    exposed_at : int
        The first exposure, in milliseconds since 1970.
    events : sequence of (milliseconds, name, properties)
        In the order of their moments.
    until : int, optional
        Events later than this do not count where the metric has no window of its own.
    before_days : int, optional
        Of a count or an amount: gives (value, value before), what the same measure came to in the days before the exposure.
    """
    last = until
    if definition.window_hours:
        last = exposed_at + int(definition.window_hours * _HOUR)
    timely = [event for event in events if event[0] >= exposed_at and (last is None or event[0] <= last)]
    if definition.kind == "funnel":
        reached = _reached(definition.steps, timely)
        steps = [float(reached > step) for step in range(len(definition.steps))]
        return steps[-1], *steps
    assert definition.measure is not None
    value = _measured(definition.measure, timely)
    if definition.denominator is None:
        if before_days and definition.kind in ("count", "amount"):
            since = exposed_at - before_days * 24 * _HOUR
            return value, _measured(definition.measure, [event for event in events if since <= event[0] < exposed_at])
        return (value,)
    return value, _measured(definition.denominator, timely)


def _fits(wanted: EventFilter, event: Happening) -> bool:
    return event[1] == wanted.event and all(condition.matches(event[2]) for condition in wanted.conditions)


def _measured(measure: Measure, events: Sequence[Happening]) -> float:
    matching = (event for event in events if _fits(measure.events, event))
    if measure.kind == "conversion":
        return 1.0 if next(matching, None) else 0.0
    total = 0.0
    for event in matching:
        worth = 1.0 if measure.kind == "count" else _number(event[2].get(measure.amount_of))
        if measure.cap is not None and total + worth > measure.cap:
            worth = max(measure.cap - total, 0.0)
        total += worth
    return total


def _number(raw: object) -> float:
    try:
        number = math.nan if raw is None or isinstance(raw, bool) else float(str(raw))
    except ValueError:
        return 0.0
    return number if math.isfinite(number) else 0.0


def _reached(steps: Sequence[EventFilter], events: Sequence[Happening]) -> int:
    reached = 0
    for event in events:
        if reached < len(steps) and _fits(steps[reached], event):
            reached += 1
    return reached
