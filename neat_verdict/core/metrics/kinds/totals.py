"""One total over another, both known by day and variant only: cost per booking, revenue per thousand impressions."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from neat_verdict.core.checks import InputError
from neat_verdict.core.metrics.kinds.base import Kind, Reason
from neat_verdict.core.metrics.tallying import DAILY_TOTALS
from neat_verdict.core.text.format import capital

if TYPE_CHECKING:
    from neat_verdict.core.metrics.definition import Definition
    from neat_verdict.core.metrics.measures import TimedEvent


class Totals(Kind):
    """Of sums by day that are brought in or counted for other metrics; single units add nothing to it."""

    name, title = "totals", "Ratio of totals"
    explanation = "One total by day over another: cost per booking, revenue per thousand impressions, return on spend"
    parts = ("totals",)
    units = ("money", "number", "percent", "per_thousand")
    tally = DAILY_TOTALS
    level_words = "One total over the other, over all days"
    spread_words = "√n times the standard error of the ratio of n units; past data show it"

    def check(self, definition: Definition) -> None:
        if len(definition.totals) != 2:
            raise InputError("totals", len(definition.totals), "must be two: what is divided, and by what")
        above, below = definition.totals
        if above == below:
            raise InputError("totals", above.words(), "must not be divided by itself")
        if definition.window_hours is not None:
            raise InputError(
                "window_hours", definition.window_hours, "must be empty: totals by day have no units to follow"
            )

    def subject(self, definition: Definition) -> str:
        above, below = (total.words() for total in definition.totals)
        per = "for each thousand of" if definition.unit == "per_thousand" else "divided by"
        return f"{capital(above)} {per} {below}, in totals by day"

    def figure(self, _definition: Definition, _events: Sequence[TimedEvent]) -> tuple[float, ...]:
        return (0.0,)

    def reasons(self, _definition: Definition, events: Sequence[TimedEvent]) -> list[Reason]:
        return [Reason(False, "made from totals by day, not from events") for _ in events]
