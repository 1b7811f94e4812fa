"""What a metric counts: events under conditions, within a window, capped, put together."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from typing import Literal, get_args

from neat_verdict.core.checks import InputError, check_positive
from neat_verdict.core.metrics.kinds import Kind, kind_named
from neat_verdict.core.metrics.kinds.base import hours_in_words
from neat_verdict.core.metrics.measures import EventFilter, Measure
from neat_verdict.core.metrics.totals import Total

Unit = Literal["percent", "number", "money", "milliseconds", "per_thousand"]
UNITS: tuple[Unit, ...] = get_args(Unit)


@dataclass(frozen=True, slots=True)
class Definition:
    """A metric.

    Parameters
    ----------
    kind : str
        Name of one of `kinds.KINDS`, which says which of the following it has.
    measure : Measure
        What is counted; the numerator of a ratio.
    denominator : Measure
        Of a ratio.
    steps : tuple of EventFilter
        What a unit must have done in order.
    within_hours : float or None
        Of steps: hours from the first of them in which the others must follow, above 0; None for no limit.
    totals : tuple of Total
        What is divided and by what, of a ratio of totals by day.
    window_hours : float or None
        Hours after a unit's first exposure within which events count, above 0; None for as long as the experiment runs.
    good_direction : "up" or "down"
    unit : one of `UNITS`
    currency : str
        Three capital letters (ISO 4217) with the unit money, empty with others.

    Raises
    ------
    InputError
        Naming the field.
    """

    kind: str
    measure: Measure | None = None
    denominator: Measure | None = None
    steps: tuple[EventFilter, ...] = ()
    totals: tuple[Total, ...] = ()
    within_hours: float | None = None
    window_hours: float | None = None
    good_direction: Literal["up", "down"] = "up"
    unit: Unit = "percent"
    currency: str = ""

    def __post_init__(self) -> None:
        self.rules.check(self)
        for name in ("window_hours", "within_hours"):
            if getattr(self, name) is not None:
                check_positive(name, getattr(self, name))
        if self.within_hours is not None and not self.steps:
            raise InputError("within_hours", self.within_hours, "must be left out: only steps follow one another")
        if self.good_direction not in ("up", "down"):
            raise InputError("good_direction", self.good_direction, "must be up or down")
        if self.unit not in UNITS:
            raise InputError("unit", self.unit, f"must be one of {', '.join(UNITS)}")
        if self.is_rate and self.unit not in self.rules.units:
            raise InputError("unit", self.unit, f"must be {' or '.join(self.rules.units)} for a {self.kind}")
        if self.unit == "money" and not re.fullmatch(r"[A-Z]{3}", self.currency):
            raise InputError("currency", self.currency or "empty", "must be three capital letters, such as EUR")

    @property
    def rules(self) -> Kind:
        """The kind itself."""
        return kind_named(self.kind)

    @property
    def is_rate(self) -> bool:
        """True where each unit counts once or not at all."""
        return self.rules.is_rate

    @property
    def measures(self) -> tuple[Measure, ...]:
        """What is counted, and what it is divided by; empty for steps."""
        return tuple(part for part in (self.measure, self.denominator) if part)

    @property
    def first_measure(self) -> Measure:
        """What is counted."""
        return self.measures[0]

    @property
    def caps(self) -> tuple[float | None, ...]:
        """The most that one unit may count, of the numerator and of the denominator; empty where nothing is capped."""
        result = tuple(part.cap for part in self.measures)
        return result if any(cap is not None for cap in result) else ()

    @property
    def window_days(self) -> int:
        """Whole days after a day until the window of its last unit has closed; 0 without a window."""
        return math.ceil(self.window_hours / 24) if self.window_hours else 0

    @property
    def made_of(self) -> tuple[str, ...]:
        """Keys of the metrics whose totals it is made of."""
        return tuple(dict.fromkeys(total.metric for total in self.totals if total.metric))

    @property
    def event_names(self) -> tuple[str, ...]:
        """Names of all events it looks at, each once, in order."""
        filters = [*self.steps, *(part.events for part in self.measures)]
        return tuple(dict.fromkeys(name for one in filters for name in one.names))

    def words(self) -> str:
        """The definition as a sentence."""
        within = f", within {hours_in_words(self.window_hours)} of the first exposure" if self.window_hours else ""
        direction = "More" if self.good_direction == "up" else "Less"
        return f"{self.rules.subject(self)}{within}. {direction} is better."
