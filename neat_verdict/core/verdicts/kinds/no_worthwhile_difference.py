"""Every interval lies inside ± the worthwhile lift."""

from __future__ import annotations

from typing import TYPE_CHECKING

from neat_verdict.core.numeric import BoolArray
from neat_verdict.core.text.format import format_interval, format_lift, format_percent
from neat_verdict.core.text.names import Names
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts.facts import Facts, Positions, every, some
from neat_verdict.core.verdicts.kinds.base import Parts, VerdictKind

if TYPE_CHECKING:
    from neat_verdict.core.rule import DecisionRule
    from neat_verdict.core.verdicts.reading import Reading


class NoWorthwhileDifference(VerdictKind):
    name, title, tone, mark, order = "no_worthwhile_difference", "No worthwhile difference", "same", "≈", 4
    meaning = "Sound, and every interval lies inside ± the worthwhile lift."
    counts_as = "flat"

    def holds(self, facts: Facts) -> BoolArray:
        return facts.readable & ~some(facts.wins) & every(facts.inside) & ~every(facts.beaten)

    def variant(self, facts: Facts) -> Positions:
        return facts.best()

    def suggested(self, _variant: int | None) -> str:
        return LETTERS[0]

    def words(self, reading: Reading, rule: DecisionRule, names: Names) -> Parts:
        lows, highs = zip(*((c.lift.low, c.lift.high) for c in reading.comparisons), strict=True)
        bounds, worthwhile = format_interval(min(lows), max(highs)), format_percent(rule.worthwhile_lift)
        subject = f"{names.variant(0)} and {names.variant(1)}" if len(names.variants) == 2 else "The variants"
        return Parts(
            f"{subject} do not differ in {names.metric} by as much as {worthwhile}.",
            f"No worthwhile difference: {bounds}",
            f"Every interval lies inside ±{worthwhile}, too small to act on: {bounds}.",
        )

    def sensitivity(self, reading: Reading, rule: DecisionRule, _names: Names) -> tuple[str, ...]:
        reach = max(max(abs(line.lift.low), abs(line.lift.high)) for line in reading.comparisons)
        return (
            f"It would be open again only if a lift under {format_percent(rule.worthwhile_lift)} were worth acting on. The data "
            f"rule out everything beyond {format_lift(reach).lstrip('+')} either way.",
        )
