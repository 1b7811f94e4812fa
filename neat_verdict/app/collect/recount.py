"""What units come to: from their events to enrolments, and from those to the change of each tally.

A unit is counted again from all its events whenever one of them comes in, so the result never depends on the order or the
batches in which they came. Tallies are kept as whole numbers of millionths, so that what is taken away and added leaves no trace.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from heapq import merge
from typing import Any, NamedTuple

from neat_verdict.app.collect.batch import BASE_VERSION
from neat_verdict.app.experiments.ceilings import Kept
from neat_verdict.app.experiments.exact_tallies import MILLION, SUMS, Cell
from neat_verdict.app.traffic.serving import Served, epoch_segment, rollout_segment
from neat_verdict.core.metrics import Definition, TimedEvent, unit_figure, whole_millionths
from neat_verdict.core.traffic import Standing, other_segment, property_text, segment_name

HOUR = 3_600_000
MAX_SEGMENT_LENGTH = 200
# How the tallies by version of the page are called; no property begins so.
BASE_SEGMENT = "@@"


class Exposure(NamedTuple):
    """At which moment a unit was shown which variant; ``sent_id`` settles which of two at the same moment is the first."""

    at: int
    sent_id: str
    position: int
    properties: Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class UnitState:
    """What is kept of an id in a round. ``several``: its person was exposed under another id too; ``across``: and to another
    variant there. ``values`` are those of the whole person where its ids count as one, none where this one does not count."""

    position: int
    first_at: int
    segments: tuple[str, ...]
    values: Mapping[str, Sequence[float]]
    mixed: bool
    standing: Standing = ""
    several: bool = False
    across: bool = False


def person_states(
    experiment: Served,
    ids: Sequence[str],
    shown: Mapping[str, Sequence[Exposure]],
    happened: Mapping[str, Sequence[TimedEvent]],
) -> dict[str, UnitState]:
    """How those ids of one person stand that were exposed (``shown``): what happened is in the order of its moments."""
    firsts = {unit: min(exposures) for unit, exposures in shown.items()}
    several = len(firsts) > 1
    across = several and len({first.position for first in firsts.values()}) > 1
    never = experiment.never_counted
    left_out = (
        never.names(ids)
        or any(never.matches(first.properties) for first in firsts.values())
        or any(never.is_robot(_while_it_ran(experiment, shown.get(unit, ()), happened.get(unit, ()))) for unit in ids)
    )
    together = experiment.identity == "person"
    head = min(firsts, key=lambda unit: firsts[unit])
    result = {}
    for unit, exposures in shown.items():
        standing: Standing = "never_counted" if left_out else "with_another" if together and unit != head else ""
        lists = [] if standing else [happened.get(one, ()) for one in (sorted(ids) if together else (unit,))]
        events = lists[0] if len(lists) == 1 else list(merge(*lists, key=lambda event: event[0]))
        state = _unit_state(experiment, unit, exposures, events)
        if standing:
            state = replace(state, values={})
        result[unit] = (
            replace(state, standing=standing, several=several, across=across) if several or standing else state
        )
    return result


def _while_it_ran(experiment: Served, shown: Sequence[Exposure], happened: Sequence[TimedEvent]) -> int:
    """How many events an id has in the round, of those that the experiment counts."""
    first, last = experiment.started or 0, experiment.ended
    return len(shown) + sum(first <= event[0] and (last is None or event[0] <= last) for event in happened)


def _unit_state(
    experiment: Served, unit: str, exposures: Sequence[Exposure], events: Sequence[TimedEvent], *, round_to: int = 6
) -> UnitState:
    """A unit as it stands by its exposures and its other events (in the order of their moments)."""
    first = min(exposures)
    values = {
        str(metric.id): [
            round(figure, round_to)
            for figure in unit_figure(metric.definition, first.at, events, experiment.ended, metric.before_days)
        ]
        for metric in experiment.metrics
    }
    given_up = experiment.given_up.get(first.position)
    mixed = any(
        exposure.position != first.position
        and not (given_up is not None and exposure.position == 0 and exposure.at >= given_up)
        for exposure in exposures
    )
    segments = segments_of(first.properties, experiment.segments, experiment.kept_values)
    if experiment.epoch_starts:
        segments = (*segments, epoch_segment(experiment, first.at, unit, first.properties))
    if experiment.rollout is not None:
        segments = (*segments, rollout_segment(experiment.rollout.line_of(first.properties)))
    if version := first.properties.get(BASE_VERSION):
        segments = (*segments, f"{BASE_SEGMENT}{property_text(version)}"[:MAX_SEGMENT_LENGTH])
    return UnitState(first.position, first.at, segments, values, mixed)


def segments_of(properties: Mapping[str, Any], kept_by: Sequence[tuple[str, ...]], kept: Kept) -> tuple[str, ...]:
    """What a unit is tallied under: everybody (""), and its value of each property or pair that tallies are kept by."""
    result = [""]
    for names in kept_by:
        segment, stays = segment_name(names, properties)[:MAX_SEGMENT_LENGTH], kept.get(names)
        result.append(segment if stays is None or segment in stays else other_segment(names))
    return tuple(result)


def limits_of(definition: Definition) -> tuple[int | None, ...]:
    """A metric's caps, of numerator and denominator, in whole millionths."""
    return tuple(None if cap is None else whole_millionths(cap) for cap in definition.caps)


class Sums(dict[Cell, list[int]]):
    """Changes of tallies: `ALL_COLUMNS` in whole millionths; where there are steps also the units that reached each, of a
    quantile those in each bucket, of a capped metric those that reached its cap."""

    def __init__(self, experiment: Served) -> None:
        self.limits = {str(metric.id): limits_of(metric.definition) for metric in experiment.metrics}
        self.tallyings = {str(metric.id): metric.tallying for metric in experiment.metrics}

    def add(self, unit: UnitState, sign: int, day_of: Callable[[int], str]) -> None:
        """Add a unit's part, or take it away (``sign`` -1)."""
        if unit.standing:
            return
        day = day_of(unit.first_at)
        for metric, figures in unit.values.items():
            tallying = self.tallyings[metric]
            first, second = (round(value * MILLION) for value in tallying.values(figures))
            steps = len(figures) - 1 if len(figures) > 2 else 0
            places = tuple(tallying.places(figures))
            counted = max((steps, *(place + 1 for place in places)))
            limits = self.limits[metric]
            # Of what came before the exposure it is not asked, so there may be one limit only.
            both = zip((first, second), limits, strict=False)
            reached = any(limit is not None and value >= limit for value, limit in both)
            for segment in unit.segments:
                cell = (unit.position, segment, day, metric)
                sums = self.get(cell)
                if sums is None:
                    sums = self[cell] = [0] * SUMS
                sums[0] += sign
                if counted:
                    sums.extend([0] * (SUMS + counted - len(sums)))
                    for place in places:
                        sums[SUMS + place] += sign
                elif limits:
                    sums.extend([0] * (SUMS + 1 - len(sums)))
                    sums[SUMS] += sign * reached
                if first:
                    sums[1] += sign * first
                    sums[2] += sign * first * first
                    sums[6] += sign * first**3
                if second:
                    sums[3] += sign * second
                    sums[4] += sign * second * second
                    sums[5] += sign * first * second
                    sums[7] += sign * first * first * second
                    sums[8] += sign * first * second * second
                    sums[9] += sign * second**3


# Of first exposures: those that count, of them those seen in two variants, whose person has several ids, and these in two
# variants; then those that do not count, by why.
ARRIVAL_COLUMNS = ("units", "mixed", "several", "across", "never_counted", "with_another")


class Arrivals(dict[tuple[int, int], list[int]]):
    """Changes of first exposures by (variant's position, hour since 1970): `ARRIVAL_COLUMNS`."""

    def add(self, unit: UnitState, sign: int) -> None:
        """Add a unit, or take it away (``sign`` -1)."""
        counted = self.setdefault((unit.position, unit.first_at // HOUR), [0] * len(ARRIVAL_COLUMNS))
        if unit.standing:
            counted[ARRIVAL_COLUMNS.index(unit.standing)] += sign
            return
        for place, one in enumerate((True, unit.mixed, unit.several, unit.across)):
            counted[place] += sign * one


def grouped(rows: Iterable[Sequence[Any]]) -> dict[str, list[Sequence[Any]]]:
    """Rows by their first column."""
    result: dict[str, list[Sequence[Any]]] = defaultdict(list)
    for row in rows:
        result[row[0]].append(row)
    return result
