"""What a metric counts: events under conditions, within a window, capped, put together."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Literal

from neat_verdict.core.checks import InputError, positive
from neat_verdict.core.matching import Condition

MetricKind = Literal["conversion", "count", "amount", "ratio", "funnel"]
KINDS: tuple[MetricKind, ...] = ("conversion", "count", "amount", "ratio", "funnel")
Unit = Literal["percent", "number", "money", "milliseconds", "per_thousand"]
UNITS: tuple[Unit, ...] = ("percent", "number", "money", "milliseconds", "per_thousand")
MOST_STEPS = 10
_EVENT = re.compile(r"[^\s].{0,79}$")


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
        told = " and ".join(condition.words() for condition in self.conditions)
        return f"{self.event} where {told}" if told else self.event


@dataclass(frozen=True, slots=True)
class Measure:
    """One figure a unit: whether it did an event, how often, or the sum of a property over them.

    ``cap`` (above 0) is the most that one unit may count. Raises InputError for an amount without its property, a cap that is
    not above 0 or that caps a conversion.
    """

    kind: Literal["conversion", "count", "amount"]
    events: EventFilter
    amount_of: str = ""
    cap: float | None = None

    def __post_init__(self) -> None:
        if self.kind not in ("conversion", "count", "amount"):
            raise InputError("kind", self.kind, "must be conversion, count or amount")
        if self.kind == "amount" and not self.amount_of.strip():
            raise InputError("amount_of", "empty", "must name the property that is summed")
        if self.cap is not None:
            positive("cap", self.cap)
            if self.kind == "conversion":
                raise InputError("cap", self.cap, "must be left out: a conversion counts once in any case")

    def words(self) -> str:
        """What is counted, for one unit."""
        told = {
            "conversion": f"did {self.events.words()} at least once",
            "count": f"number of {self.events.words()}",
            "amount": f"sum of {self.amount_of} over {self.events.words()}",
        }[self.kind]
        return f"{told}, at most {self.cap:g}" if self.cap is not None else told


@dataclass(frozen=True, slots=True)
class Definition:
    """A metric.

    Parameters
    ----------
    kind : "conversion", "count", "amount", "ratio" or "funnel"
    measure : Measure
        What is counted; the numerator of a ratio. None for a funnel.
    denominator : Measure
        Of a ratio.
    steps : tuple of EventFilter
        Of a funnel, 2 to 10, in order.
    window_hours : float or None
        Hours after a unit's first exposure within which events count, above 0; None for as long as the experiment runs.
    good_direction : "up" or "down"
    unit : "percent", "number", "money", "milliseconds" or "per_thousand"
    currency : str
        Three capital letters (ISO 4217) with the unit money, empty with others.

    Raises
    ------
    InputError
        Naming the field.
    """

    kind: MetricKind
    measure: Measure | None = None
    denominator: Measure | None = None
    steps: tuple[EventFilter, ...] = ()
    window_hours: float | None = None
    good_direction: Literal["up", "down"] = "up"
    unit: Unit = "percent"
    currency: str = ""

    def __post_init__(self) -> None:
        if self.kind not in KINDS:
            raise InputError("kind", self.kind, f"must be one of {', '.join(KINDS)}")
        if self.kind == "funnel":
            if not 2 <= len(self.steps) <= MOST_STEPS:
                raise InputError("steps", len(self.steps), f"must be 2 to {MOST_STEPS}, in order")
        elif self.measure is None:
            raise InputError("measure", "empty", "must say what is counted")
        if self.kind == "ratio" and self.denominator is None:
            raise InputError("denominator", "empty", "must say what the ratio divides by")
        if self.kind in ("conversion", "count", "amount") and self.measure and self.measure.kind != self.kind:
            raise InputError("measure", self.measure.kind, f"must be a {self.kind}, as the metric")
        if self.window_hours is not None:
            positive("window_hours", self.window_hours)
        if self.good_direction not in ("up", "down"):
            raise InputError("good_direction", self.good_direction, "must be up or down")
        self._check_unit()

    def _check_unit(self) -> None:
        if self.unit not in UNITS:
            raise InputError("unit", self.unit, f"must be one of {', '.join(UNITS)}")
        if self.is_rate and self.unit != "percent":
            raise InputError("unit", self.unit, f"must be percent for a {self.kind}")
        if self.unit == "money" and not re.fullmatch(r"[A-Z]{3}", self.currency):
            raise InputError("currency", self.currency or "empty", "must be three capital letters, such as EUR")

    @property
    def is_rate(self) -> bool:
        """True where each unit counts once or not at all (a funnel by its last step)."""
        return self.kind in ("conversion", "funnel")

    @property
    def caps(self) -> tuple[float | None, ...]:
        """The most that one unit may count, above the line and below it; empty where nothing is capped."""
        found = tuple(part.cap for part in (self.measure, self.denominator) if part)
        return found if any(cap is not None for cap in found) else ()

    @property
    def event_names(self) -> tuple[str, ...]:
        """Names of all events it looks at, each once, in order."""
        filters = [*self.steps, *(part.events for part in (self.measure, self.denominator) if part)]
        return tuple(dict.fromkeys(found.event for found in filters))

    def words(self) -> str:
        """The definition as a sentence."""
        within = f", within {_span(self.window_hours)} of the first exposure" if self.window_hours else ""
        return f"{self._subject()}{within}. {'More' if self.good_direction == 'up' else 'Less'} is better."

    def _subject(self) -> str:
        if self.kind == "funnel":
            steps = ", then ".join(step.words() for step in self.steps)
            return f"Share of units that did {steps}, in this order"
        assert self.measure is not None
        if self.kind == "conversion":
            return f"Share of units that {self.measure.words()}"
        if self.kind == "ratio":
            assert self.denominator is not None
            per = " for each thousand" if self.unit == "per_thousand" else " divided by"
            return f"{_capital(_total(self.measure))}{per} {_total(self.denominator)}"
        return f"{_capital(self.measure.words())}, averaged over units"


def _total(measure: Measure) -> str:
    return f"units that {measure.words()}" if measure.kind == "conversion" else measure.words()


def _capital(text: str) -> str:
    return text[:1].upper() + text[1:]


def _span(hours: float) -> str:
    if hours % 24 == 0:
        return "1 day" if hours == 24 else f"{hours / 24:g} days"
    return "1 hour" if hours == 1 else f"{hours:g} hours"
