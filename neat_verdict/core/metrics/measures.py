"""One figure a unit: which events count, and what each of them is worth."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from neat_verdict.core.checks import InputError, check_positive
from neat_verdict.core.matching import Condition
from neat_verdict.core.metrics.kinds import MeasureKind, measure_kind

_EVENT = re.compile(r"[^\s].{0,79}$")
# Milliseconds since 1970, name, properties.
TimedEvent = tuple[int, str, Mapping[str, object]]


@dataclass(frozen=True, slots=True)
class EventFilter:
    """Events of a name whose properties fulfil all conditions. Raises InputError for a name that is empty or over 80 long."""

    event: str
    conditions: tuple[Condition, ...] = ()

    def __post_init__(self) -> None:
        if not _EVENT.match(self.event):
            raise InputError("event", self.event or "empty", "must name an event, in 1 to 80 characters")

    def words(self) -> str:
        """ "page_view where section is cabins"."""
        conditions = " and ".join(condition.words() for condition in self.conditions)
        return f"{self.event} where {conditions}" if conditions else self.event

    def fits(self, event: TimedEvent) -> bool:
        """Whether the event is one of these."""
        return event[1] == self.event and all(condition.matches(event[2]) for condition in self.conditions)

    def why_not(self, event: TimedEvent) -> str:
        """The reason in words; empty where it fits."""
        if event[1] != self.event:
            return f"not a {self.event}"
        failed = next((c for c in self.conditions if not c.matches(event[2])), None)
        if failed is None:
            return ""
        seen = event[2].get(failed.attribute)
        return f"{failed.attribute} is {'not set' if seen is None else seen}; wanted: {failed.words()}"


@dataclass(frozen=True, slots=True)
class Measure:
    """One figure a unit, by its ``kind`` (the name of a kind of metric that can be measured alone).

    ``cap`` (above 0) is the most that one unit may count. Raises InputError for another kind, an amount without its property, a
    cap that is not above 0 or that caps what counts once.
    """

    kind: str
    events: EventFilter
    amount_of: str = ""
    cap: float | None = None

    def __post_init__(self) -> None:
        if self.cap is not None:
            check_positive("cap", self.cap)
        self.rules.check_measure(self)

    @property
    def rules(self) -> MeasureKind:
        """The kind itself."""
        return measure_kind(self.kind)

    def words(self) -> str:
        """What is counted, for one unit."""
        words = self.rules.measure_words(self)
        return f"{words}, at most {self.cap:g}" if self.cap is not None else words

    def worths(self, events: Sequence[TimedEvent]) -> list[float]:
        """What each of a unit's events adds, in their order."""
        rules, so_far, result = self.rules, 0.0, []
        for event in events:
            worth = rules.worth(self, event, so_far) if self.events.fits(event) else 0.0
            if self.cap is not None and so_far + worth > self.cap:
                worth = max(self.cap - so_far, 0.0)
            so_far += worth
            result.append(worth)
        return result

    def total(self, events: Sequence[TimedEvent]) -> float:
        """What a unit's events come to."""
        total = 0.0
        for worth in self.worths(events):
            total += worth
        return total

    def reasons(self, events: Sequence[TimedEvent]) -> list[tuple[bool, str]]:
        """Of each event whether it counts, and why or why not."""
        result, so_far = [], 0.0
        for event, worth in zip(events, self.worths(events), strict=True):
            reason = self.events.why_not(event) or self._part(event, worth, so_far)
            so_far += worth
            result.append((worth != 0 or not reason, reason or f"counts {worth:g}"))
        return result

    def _part(self, event: TimedEvent, worth: float, so_far: float) -> str:
        """Why a fitting event does not add its whole worth; empty where it does."""
        whole = self.rules.worth(self, event, so_far)
        if worth != whole and self.cap is not None:
            return f"counts {worth:g} of {whole:g}: the cap of {self.cap:g} is reached"
        return self.rules.why_nothing(self, event, so_far)
