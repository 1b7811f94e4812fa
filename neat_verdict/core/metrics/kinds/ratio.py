"""One measure over another, both summed over units: revenue per order, clicks per page."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING

from neat_verdict.core.checks import InputError
from neat_verdict.core.metrics.kinds.base import Kind, Reason
from neat_verdict.core.metrics.tallying import RATIO
from neat_verdict.core.text.format import capital

if TYPE_CHECKING:
    from neat_verdict.core.metrics.definition import Definition
    from neat_verdict.core.metrics.measures import TimedEvent


class Ratio(Kind):
    name, title = "ratio", "Ratio"
    explanation = "One sum over another, such as revenue per order"
    parts = ("measure", "denominator")
    units = ("number", "percent", "money", "milliseconds", "per_thousand")
    tally = RATIO

    def check(self, definition: Definition) -> None:
        if definition.measure is None:
            raise InputError("measure", "empty", "must say what is counted")
        if definition.denominator is None:
            raise InputError("denominator", "empty", "must say what the ratio divides by")

    def subject(self, definition: Definition) -> str:
        parts = [measure.rules.total_words(measure) for measure in definition.measures]
        per = " for each thousand" if definition.unit == "per_thousand" else " divided by"
        return f"{capital(parts[0])}{per} {parts[1]}"

    def figure(self, definition: Definition, events: Sequence[TimedEvent]) -> tuple[float, ...]:
        return tuple(measure.total(events) for measure in definition.measures)

    def reasons(self, definition: Definition, events: Sequence[TimedEvent]) -> list[Reason]:
        numerator, denominator = (measure.reasons(events) for measure in definition.measures)
        return [_joined(*lines) for lines in zip(numerator, denominator, strict=True)]

    def overall(self, _definition: Definition, figures: Sequence[Sequence[float]]) -> tuple[float, float]:
        return math.fsum(figure[0] for figure in figures), math.fsum(figure[1] for figure in figures)


def _joined(numerator: tuple[bool, str], denominator: tuple[bool, str]) -> Reason:
    named = (("numerator", numerator), ("denominator", denominator))
    words = "; ".join(f"{name}: {line[1]}" for name, line in named if line[0])
    if not words:
        words = numerator[1] if numerator[1] == denominator[1] else f"{numerator[1]}, {denominator[1]}"
    return Reason(numerator[0] or denominator[0], words)
