"""A quantile of what units came to (waiting times, order values), over the units that have a value."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from neat_verdict.core.checks import InputError
from neat_verdict.core.metrics.kinds.amount import Amount
from neat_verdict.core.metrics.kinds.base import Kind, Reason, check_measured_as
from neat_verdict.core.metrics.tallying import MEDIAN, P90, P95
from neat_verdict.core.statistics import histogram

if TYPE_CHECKING:
    from neat_verdict.core.metrics.definition import Definition
    from neat_verdict.core.metrics.measures import TimedEvent


class Quantile(Kind):
    """Of an amount: the sum of a property over a unit's events, where it has any."""

    parts = ("measure",)
    measured_as = Amount.name
    units = ("milliseconds", "number", "money")
    no_level_words = "too few values"
    spread_words = "√n times the standard error of the quantile of n units; past data show it"
    level_words = "The quantile over units that have a value"

    def check(self, definition: Definition) -> None:
        check_measured_as(definition, self.measured_as, "of which this is a quantile")
        if definition.unit not in self.units:
            raise InputError("unit", definition.unit, f"must be {', '.join(self.units)}")

    def subject(self, definition: Definition) -> str:
        return f"{self.title} of the {definition.first_measure.words()}, over units that have one"

    def figure(self, definition: Definition, events: Sequence[TimedEvent]) -> tuple[float, ...]:
        """Nothing for a unit without a value."""
        measure = definition.first_measure
        if not any(
            measure.events.fits(event) and not measure.rules.why_nothing(measure, event, 0.0) for event in events
        ):
            return ()
        return (measure.total(events),)

    def reasons(self, definition: Definition, events: Sequence[TimedEvent]) -> list[Reason]:
        return [Reason(*line) for line in definition.first_measure.reasons(events)]

    def overall(self, _definition: Definition, figures: Sequence[Sequence[float]]) -> tuple[float, float]:
        """Units with a value, and all."""
        return float(sum(map(bool, figures))), float(len(figures))

    def level(self, _definition: Definition, figures: Sequence[Sequence[float]]) -> float:
        values = [figure[0] for figure in figures if figure]
        return self.tally.check_sums([len(figures), len(values), *histogram(values)]).estimate


class Median(Quantile):
    name, title = "median", "Median"
    explanation = "What half of the units stay under, of a sum over their events (waiting time, order value)"
    tally = MEDIAN


class Percentile90(Quantile):
    name, title = "p90", "90th percentile"
    explanation = "What nine in ten units stay under, such as their waiting time"
    tally = P90


class Percentile95(Quantile):
    name, title = "p95", "95th percentile"
    explanation = "What nineteen in twenty units stay under, such as their waiting time"
    tally = P95
