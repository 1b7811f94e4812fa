"""Every interval lies inside ± the worthwhile lift."""

from __future__ import annotations

from typing import TYPE_CHECKING

from neat_verdict.core.numeric import BoolArray
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
        lows, highs = zip(*((effect.low, effect.high) for effect in reading.effects), strict=True)
        bounds = reading.scale.bounds_words(min(lows), max(highs), names)
        worthwhile = reading.scale.size_words(rule.worthwhile_lift, names)
        subject = (
            f"{names.variant(0)} and {names.variant(reading.left[0])}" if len(reading.left) == 1 else "The variants"
        )
        return Parts(
            f"{subject} do not differ in {names.metric} by as much as {worthwhile}.",
            f"No worthwhile difference: {bounds}",
            f"Every interval lies inside ±{worthwhile}, too small to act on: {bounds}.",
        )

    def sensitivity(self, reading: Reading, rule: DecisionRule, names: Names) -> tuple[str, ...]:
        scale = reading.scale
        reach = max(max(abs(effect.low), abs(effect.high)) for effect in reading.effects)
        worthwhile = scale.size_words(rule.worthwhile_lift, names)
        return (
            f"It would be open again only if a {scale.noun} under {worthwhile} were worth acting on. The data rule out "
            f"everything beyond {scale.effect_words(reach, names).lstrip('+')} either way.",
        )
