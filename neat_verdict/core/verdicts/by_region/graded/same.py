"""Both steps bring about what they cost."""

from __future__ import annotations

from neat_verdict.core.text.format import format_percent
from neat_verdict.core.verdicts.by_region.base import RegionNames
from neat_verdict.core.verdicts.by_region.graded.base import GradedFacts, GradedKind, pays_from, words_of_steps
from neat_verdict.core.verdicts.kinds.base import Parts


class GradedSame(GradedKind):
    name, title, tone, mark, order = "graded_same", "No worthwhile difference", "same", "＝", 6
    meaning = "The intervals of both steps lie so close to break-even that it makes no difference worth while."

    def holds(self, facts: GradedFacts) -> bool:
        return all(arm.same for arm in facts.arms)

    def words(self, facts: GradedFacts, names: RegionNames) -> Parts:
        band = format_percent(facts.lower.reading.test.same_within)
        follows = f"Both steps pay for themselves: {band} more or less than {pays_from(facts.lower)} does not matter."
        return words_of_steps(facts.lower, facts.higher, names, follows, "No worthwhile difference")
