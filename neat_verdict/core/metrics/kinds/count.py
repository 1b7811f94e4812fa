"""How often a unit did something."""

from __future__ import annotations

from typing import TYPE_CHECKING, ClassVar

from neat_verdict.core.metrics.kinds.base import MEAN, MeasureKind
from neat_verdict.core.text.format import capital

if TYPE_CHECKING:
    from neat_verdict.core.metrics.definition import Definition
    from neat_verdict.core.metrics.measures import Measure, TimedEvent


class Count(MeasureKind):
    name, title = "count", "Count"
    explanation = "How often units did something, on average"
    units: ClassVar[tuple[str, ...]] = ("number",)
    tally = MEAN
    adjustable = True

    def subject(self, definition: Definition) -> str:
        words = definition.first_measure.words()
        return f"{capital(words)}, averaged over units"

    def measure_words(self, measure: Measure) -> str:
        return f"number of {measure.events.words()}"

    def worth(self, _measure: Measure, _event: TimedEvent, _so_far: float) -> float:
        return 1.0
