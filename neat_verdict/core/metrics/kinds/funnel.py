"""Whether a unit went through several events in order; judged by the last step, shown step by step."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING

from neat_verdict.core.checks import InputError
from neat_verdict.core.metrics.kinds.base import RATE, Kind, Reason, hours_in_words

if TYPE_CHECKING:
    from neat_verdict.core.metrics.definition import Definition
    from neat_verdict.core.metrics.measures import TimedEvent

MAX_STEPS = 10
_HOUR = 3_600_000


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
        hours = definition.within_hours
        within = f" and within {hours_in_words(hours)} of the first" if hours else ""
        return f"Share of units that did {steps}, in this order{within}"

    def figure(self, definition: Definition, events: Sequence[TimedEvent]) -> tuple[float, ...]:
        reached = max((done for done, _ in _followed(definition, events)), default=0)
        steps = [float(reached > step) for step in range(len(definition.steps))]
        return steps[-1], *steps

    def reasons(self, definition: Definition, events: Sequence[TimedEvent]) -> list[Reason]:
        """Of each event the step that it is; with a limit an event may begin the steps again while no more are done."""
        before, result, count = 0, [], len(definition.steps)
        for event, (reached, step) in zip(events, _followed(definition, events), strict=True):
            if before == count:
                result.append(Reason(False, "all steps are done already"))
            elif step:
                result.append(Reason(True, f"step {step} of {count}"))
            else:
                words = definition.steps[before].why_not(event)
                late = f"later than {hours_in_words(definition.within_hours or 0)} after the first step"
                result.append(Reason(False, words or late))
            before = reached
        return result

    def steps(self, definition: Definition) -> int:
        return len(definition.steps)


def _followed(definition: Definition, events: Sequence[TimedEvent]) -> Iterator[tuple[int, int]]:
    """After each event how many steps are done, and which step the event is; 0 for none.

    Of each step the latest first step is remembered from which it was reached in time: no other leaves more time for the rest. An
    event is one step at most of a way, and counts for the step furthest on that it makes new, or again.
    """
    limit = definition.within_hours
    span = math.inf if limit is None else limit * _HOUR
    begun = [-math.inf] * len(definition.steps)
    reached = 0
    for event in events:
        taken = 0
        for step in range(len(begun) - 1, -1, -1):
            start = event[0] if step == 0 else begun[step - 1]
            # Without a limit a step that is done stays as it was: a later way is no better.
            open_still = limit is not None or begun[step] == -math.inf
            if open_still and start > begun[step] and event[0] - start <= span and definition.steps[step].fits(event):
                begun[step] = start
                taken = taken or step + 1
        reached = max(reached, taken)
        yield reached, taken
