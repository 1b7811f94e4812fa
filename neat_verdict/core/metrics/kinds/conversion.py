"""Whether a unit did something at least once."""

from __future__ import annotations

from typing import TYPE_CHECKING

from neat_verdict.core.checks import InputError
from neat_verdict.core.metrics.kinds.base import RATE, MeasureKind

if TYPE_CHECKING:
    from neat_verdict.core.metrics.definition import Definition
    from neat_verdict.core.metrics.measures import Measure, TimedEvent


class Conversion(MeasureKind):
    name, title = "conversion", "Conversion"
    explanation = "Share of units that did something at least once"
    level_words = "Share of units that convert today"
    units = ("percent",)
    tally = RATE

    def subject(self, definition: Definition) -> str:
        return f"Share of units that {definition.first_measure.words()}"

    def check_measure(self, measure: Measure) -> None:
        if measure.cap is not None:
            raise InputError("cap", measure.cap, "must be left out: a conversion counts once in any case")

    def measure_words(self, measure: Measure) -> str:
        return f"did {measure.events.words()} at least once"

    def total_words(self, measure: Measure) -> str:
        return f"units that {measure.words()}"

    def worth(self, _measure: Measure, _event: TimedEvent, so_far: float) -> float:
        return 0.0 if so_far else 1.0

    def why_nothing(self, _measure: Measure, _event: TimedEvent, so_far: float) -> str:
        return "converted already" if so_far else ""
