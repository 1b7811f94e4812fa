"""The sum of a property over a unit's events: money, seats, milliseconds."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from neat_verdict.core.checks import InputError
from neat_verdict.core.matching import LARGEST_NUMBER, NUMBER, number_of
from neat_verdict.core.metrics.kinds.base import MEAN
from neat_verdict.core.metrics.kinds.count import Count

if TYPE_CHECKING:
    from neat_verdict.core.metrics.measures import Measure, TimedEvent


class Amount(Count):
    name, title = "amount", "Amount"
    explanation = "Sum of a property of events (money, seats, seconds), averaged over units"
    units = ("money", "number", "milliseconds")
    tally = MEAN

    def check_measure(self, measure: Measure) -> None:
        if not measure.amount_of.strip():
            raise InputError("amount_of", "empty", "must name the property that is summed")

    def measure_words(self, measure: Measure) -> str:
        return f"sum of {measure.amount_of} over {measure.events.words()}"

    def worth(self, measure: Measure, event: TimedEvent, _so_far: float) -> float:
        number = number_of(event[2].get(measure.amount_of))
        return 0.0 if math.isnan(number) else number

    def why_nothing(self, measure: Measure, event: TimedEvent, _so_far: float) -> str:
        raw = event[2].get(measure.amount_of)
        if not math.isnan(number_of(raw)):
            return ""
        reason = f"more than {LARGEST_NUMBER:,.0f}" if NUMBER.match(str(raw).strip()) else "no number"
        return f"{measure.amount_of} is {'not set' if raw is None else raw}, which is {reason}"
