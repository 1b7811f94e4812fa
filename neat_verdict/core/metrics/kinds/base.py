"""What a kind of metric is: how it is checked, counted, tallied and spoken of. A kind is one module of this package."""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, ClassVar

from neat_verdict.core.checks import InputError
from neat_verdict.core.metrics.tallying import ADJUSTED_MEAN, MEAN, RATE, Tallying

if TYPE_CHECKING:
    from neat_verdict.core.metrics.definition import Definition
    from neat_verdict.core.metrics.measures import Measure, TimedEvent

_HOUR = 3_600_000


@dataclass(frozen=True, slots=True)
class Reason:
    """Of one event whether it counts, and why or why not."""

    counted: bool
    words: str


class Kind(ABC):
    """A kind of metric.

    ``parts`` are the parts of a definition that it has; ``units`` the units it may be shown in, the usual one first;
    ``title`` and ``explanation`` are for the screens.
    """

    name: ClassVar[str]
    title: ClassVar[str]
    explanation: ClassVar[str]
    parts: ClassVar[tuple[str, ...]]
    units: ClassVar[tuple[str, ...]]
    tally: ClassVar[Tallying]
    # What today's level is, for those who plan.
    level_words: ClassVar[str] = "The mean over all units, zeros included"
    measured_as: ClassVar[str] = ""  # the kind of its one measure; "" where it may be any, or has none
    spread_words: ClassVar[str] = "of the metric over units; past data show it"
    no_level_words: ClassVar[str] = "nothing to divide by"
    adjustable: ClassVar[bool] = False  # by what units came to before their exposure

    @property
    def is_rate(self) -> bool:
        """True where each unit counts once or not at all."""
        return self.tally.arm.converts

    def tallying(self, before_days: int | None = None) -> Tallying:
        """How it is tallied, adjusted by the ``before_days`` before a unit's exposure where that is chosen and possible."""
        return ADJUSTED_MEAN if before_days and self.adjustable else self.tally

    @abstractmethod
    def check(self, definition: Definition) -> None:
        """Raise InputError, naming the field, for a definition that lacks something."""

    @abstractmethod
    def subject(self, definition: Definition) -> str:
        """What is counted, as the subject of a sentence."""

    @abstractmethod
    def figure(self, definition: Definition, events: Sequence[TimedEvent]) -> tuple[float, ...]:
        """A unit's figure from its timely events: the value, then what else is tallied (a second value, steps reached)."""

    @abstractmethod
    def reasons(self, definition: Definition, events: Sequence[TimedEvent]) -> list[Reason]:
        """Of each timely event whether it counts, and why."""

    def steps(self, _definition: Definition) -> int:
        """Steps that are tallied one by one; 0 for none."""
        return 0

    def overall(self, definition: Definition, figures: Sequence[Sequence[float]]) -> tuple[float, float]:
        """Numerator and denominator of the metric over units, from their figures."""
        return math.fsum(figure[0] for figure in figures), float(len(figures))

    def level(self, definition: Definition, figures: Sequence[Sequence[float]]) -> float:
        """The metric over units, from their figures; nan where there is none."""
        numerator, denominator = self.overall(definition, figures)
        return numerator / denominator if denominator else math.nan


def hours_in_words(hours: float) -> str:
    """ "1 day", "36 hours"."""
    if hours % 24 == 0:
        return "1 day" if hours == 24 else f"{hours / 24:g} days"
    return "1 hour" if hours == 1 else f"{hours:g} hours"


def check_measured_as(definition: Definition, kind: str, why: str) -> None:
    """Raise InputError for a definition without a measure, or with one of another kind."""
    if definition.measure is None:
        raise InputError("measure", "empty", "must say what is counted")
    if definition.measure.kind != kind:
        raise InputError("measure", definition.measure.kind, f"must be of the kind {kind}, {why}")


class MeasureKind(Kind):
    """A kind whose figure is one measure, which may also be a part of a ratio."""

    parts = ("measure",)

    def __init_subclass__(cls) -> None:
        if "name" in cls.__dict__:
            cls.measured_as = cls.name

    def check(self, definition: Definition) -> None:
        check_measured_as(definition, self.name, "as the metric")

    def figure(self, definition: Definition, events: Sequence[TimedEvent]) -> tuple[float, ...]:
        return (definition.first_measure.total(events),)

    def reasons(self, definition: Definition, events: Sequence[TimedEvent]) -> list[Reason]:
        return [Reason(*line) for line in definition.first_measure.reasons(events)]

    def check_measure(self, measure: Measure) -> None:
        """Raise InputError, naming the field, for a measure that lacks something."""

    @abstractmethod
    def measure_words(self, measure: Measure) -> str:
        """What is counted, for one unit."""

    def total_words(self, measure: Measure) -> str:
        """The same as a part of a ratio."""
        return measure.words()

    @abstractmethod
    def worth(self, measure: Measure, event: TimedEvent, so_far: float) -> float:
        """What a fitting event adds, before any cap."""

    def why_nothing(self, _measure: Measure, _event: TimedEvent, _so_far: float) -> str:
        """Why a fitting event adds nothing; empty where it adds something."""
        return ""


__all__ = ["MEAN", "RATE", "Kind", "MeasureKind", "Reason", "hours_in_words"]
