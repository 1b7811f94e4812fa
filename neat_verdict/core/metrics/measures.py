"""One figure a unit: which events count, and what each of them is worth."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from neat_verdict.core.checks import InputError, check_positive
from neat_verdict.core.matching import Condition, Group
from neat_verdict.core.metrics.kinds import MeasureKind, measure_kind
from neat_verdict.core.statistics.histogram import MILLION

_EVENT = re.compile(r"[^\s].{0,79}$")
MAX_PARTS = 20  # names of events, and groups of conditions, of one filter
# Milliseconds since 1970, name, properties.
TimedEvent = tuple[int, str, Mapping[str, object]]


def whole_millionths(value: float) -> int:
    """A value in whole millionths, half a millionth rounded up."""
    return math.floor(value * MILLION + 0.5)


@dataclass(frozen=True, slots=True)
class EventFilter:
    """Events of a name, or of any of several, whose properties fulfil all conditions, and of each group one or all.

    Raises InputError for a name that is empty or over 80 long, or stands twice, and for more than 20 names or groups.
    """

    event: str
    conditions: tuple[Condition, ...] = ()
    or_events: tuple[str, ...] = ()
    groups: tuple[Group, ...] = ()

    def __post_init__(self) -> None:
        for place, name in enumerate(self.names):
            field = "event" if place == 0 else f"or_events.{place - 1}"
            if not _EVENT.match(name):
                raise InputError(field, name or "empty", "must name an event, in 1 to 80 characters")
            if name in self.names[:place]:
                raise InputError(field, name, "is named already")
        for field, parts in (("or_events", self.or_events), ("groups", self.groups)):
            if len(parts) > MAX_PARTS:
                raise InputError(field, len(parts), f"must be at most {MAX_PARTS}")

    @property
    def names(self) -> tuple[str, ...]:
        """Names of all events that may fit."""
        return (self.event, *self.or_events)

    def words(self) -> str:
        """ "page_view or search where section is cabins"."""
        lines = [condition.words() for condition in self.conditions]
        lines += [f"({group.words()})" if len(group.conditions) > 1 else group.words() for group in self.groups]
        events = " or ".join(self.names)
        return f"{events} where {' and '.join(lines)}" if lines else events

    def fits(self, event: TimedEvent) -> bool:
        """Whether the event is one of these."""
        return (
            event[1] in self.names
            and all(condition.matches(event[2]) for condition in self.conditions)
            and all(group.matches(event[2]) for group in self.groups)
        )

    def why_not(self, event: TimedEvent) -> str:
        """The reason in words; empty where it fits."""
        if event[1] not in self.names:
            return f"not a {' or '.join(self.names)}"
        failed = next((c for c in self.conditions if not c.matches(event[2])), None)
        if failed is not None:
            seen = event[2].get(failed.attribute)
            return f"{failed.attribute} is {'not set' if seen is None else seen}; wanted: {failed.words()}"
        group = next((one for one in self.groups if not one.matches(event[2])), None)
        return "" if group is None else f"wanted: {group.words()}"


@dataclass(frozen=True, slots=True)
class Measure:
    """One figure a unit, by its ``kind`` (the name of a kind of metric that can be measured alone).

    ``cap`` (above 0) is the most that one unit may count; with ``first_only`` the first event that fits counts and no other.
    Raises InputError for another kind, an amount without its property, a cap that is not above 0, or either of them of what
    counts once.
    """

    kind: str
    events: EventFilter
    amount_of: str = ""
    cap: float | None = None
    first_only: bool = False

    def __post_init__(self) -> None:
        if self.first_only and self.rules.is_rate:
            raise InputError("first_only", "true", "must be left out: a conversion counts once in any case")
        if self.cap is not None:
            check_positive("cap", self.cap)
        self.rules.check_measure(self)

    @property
    def rules(self) -> MeasureKind:
        """The kind itself."""
        return measure_kind(self.kind)

    def words(self) -> str:
        """What is counted, for one unit."""
        words = self.rules.measure_words(self) + (", the first only" if self.first_only else "")
        return f"{words}, at most {self.cap:g}" if self.cap is not None else words

    def worths(self, events: Sequence[TimedEvent]) -> list[float]:
        """What each of a unit's events adds, in their order, in whole millionths of the measure's unit."""
        return [whole / MILLION for whole in self._whole_worths(events)]

    def total(self, events: Sequence[TimedEvent]) -> float:
        """What a unit's events come to."""
        return sum(self._whole_worths(events)) / MILLION

    def _whole_worths(self, events: Sequence[TimedEvent]) -> list[int]:
        """In millionths, so that a sum is the same in whatever order and by whichever engine it is made."""
        rules, so_far, result, seen = self.rules, 0, [], False
        cap = None if self.cap is None else whole_millionths(self.cap)
        for event in events:
            fits = self.events.fits(event) and not (seen and self.first_only)
            seen = seen or fits
            worth = whole_millionths(rules.worth(self, event, so_far)) if fits else 0
            if cap is not None and so_far + worth > cap:
                worth = max(cap - so_far, 0)
            so_far += worth
            result.append(worth)
        return result

    def reasons(self, events: Sequence[TimedEvent]) -> list[tuple[bool, str]]:
        """Of each event whether it counts, and why or why not."""
        result, so_far, seen = [], 0.0, False
        for event, worth in zip(events, self.worths(events), strict=True):
            reason = self.events.why_not(event)
            if not reason and seen and self.first_only:
                reason = "not the first"
            seen = seen or not reason
            reason = reason or self._part(event, worth, so_far)
            so_far += worth
            result.append((worth != 0 or not reason, reason or f"counts {worth:g}"))
        return result

    def _part(self, event: TimedEvent, worth: float, so_far: float) -> str:
        """Why a fitting event does not add its whole worth; empty where it does."""
        whole = self.rules.worth(self, event, so_far)
        if worth != whole and self.cap is not None:
            return f"counts {worth:g} of {whole:g}: the cap of {self.cap:g} is reached"
        return self.rules.why_nothing(self, event, so_far)
