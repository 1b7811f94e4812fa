"""It was ended early, both steps are open, or they contradict one another."""

from __future__ import annotations

from neat_verdict.core.verdicts.by_region.base import RegionNames
from neat_verdict.core.verdicts.by_region.graded.base import GradedFacts, GradedKind, pays_from, words_of_steps
from neat_verdict.core.verdicts.by_region.unresolved import RegionsUnresolved
from neat_verdict.core.verdicts.kinds.base import Parts


class GradedUnresolved(GradedKind):
    name, title, tone, mark, order = "graded_unresolved", "Unresolved", "open", "◇", 7
    meaning = "Break-even lies within the intervals of both steps, they contradict one another, or it was ended early."

    def holds(self, _facts: GradedFacts) -> bool:
        return True

    def words(self, facts: GradedFacts, names: RegionNames) -> Parts:
        if facts.contradicts:
            return words_of_steps(
                facts.higher, facts.lower, names,
                "It pays, and what is spent anyway does not: that would mean that each unit brings more than the one before.",
                "Unresolved",
                "Look at Evidence for regions that chance or something else has moved; a second test would say.",
            )  # fmt: skip
        if facts.lower.ended_early and not facts.lower.finished:
            return RegionsUnresolved().words(facts.lower, names)
        pays = pays_from(facts.lower)
        follows = f"Whether it reaches {pays}, from which it pays, is open, and so it is of more."
        return words_of_steps(facts.lower, facts.higher, names, follows, "Unresolved")

    def sensitivity(self, facts: GradedFacts, names: RegionNames) -> tuple[str, ...]:
        return () if facts.contradicts else RegionsUnresolved().sensitivity(facts.lower, names)
