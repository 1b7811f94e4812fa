"""Whether a unit went through several events in order; judged by the last step, shown step by step."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from neat_verdict.core.checks import InputError
from neat_verdict.core.metrics.kinds.base import RATE, Kind, Reason

if TYPE_CHECKING:
    from neat_verdict.core.metrics.definition import Definition
    from neat_verdict.core.metrics.measures import TimedEvent

MAX_STEPS = 10


class Funnel(Kind):
    name, title = "funnel", "Funnel"
    explanation = "Share of units that did several things in order, and where they are lost"
    level_words = "Share of units that reach the last step today"
    parts = ("steps",)
    units = ("percent",)
    tally = RATE

    def check(self, definition: Definition) -> None:
        if not 2 <= len(definition.steps) <= MAX_STEPS:
            raise InputError("steps", len(definition.steps), f"must be 2 to {MAX_STEPS}, in order")

    def subject(self, definition: Definition) -> str:
        steps = ", then ".join(step.words() for step in definition.steps)
        return f"Share of units that did {steps}, in this order"

    def figure(self, definition: Definition, events: Sequence[TimedEvent]) -> tuple[float, ...]:
        reached = 0
        for event in events:
            if reached < len(definition.steps) and definition.steps[reached].fits(event):
                reached += 1
        steps = [float(reached > step) for step in range(len(definition.steps))]
        return steps[-1], *steps

    def reasons(self, definition: Definition, events: Sequence[TimedEvent]) -> list[Reason]:
        reached, result = 0, []
        for event in events:
            if reached == len(definition.steps):
                result.append(Reason(False, "all steps are done already"))
                continue
            words = definition.steps[reached].why_not(event)
            reached += not words
            result.append(Reason(not words, words or f"step {reached} of {len(definition.steps)}"))
        return result

    def steps(self, definition: Definition) -> int:
        return len(definition.steps)
