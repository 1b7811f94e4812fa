"""The step up does not pay, and of the step down it is open."""

from __future__ import annotations

from neat_verdict.core.verdicts.by_region.base import RegionNames
from neat_verdict.core.verdicts.by_region.graded.base import GradedFacts, GradedKind, pays_from, words_of_steps
from neat_verdict.core.verdicts.by_region.unresolved import RegionsUnresolved
from neat_verdict.core.verdicts.kinds.base import Parts


class MoreDoesNotPay(GradedKind):
    name, title, tone, mark, order = "more_does_not_pay", "More does not pay", "behind", "▼", 5
    meaning = "Each unit beyond the usual brings less than break-even; whether less would do is open."
    suggested = "A"

    def holds(self, facts: GradedFacts) -> bool:
        return facts.higher.does_not_pay

    def words(self, facts: GradedFacts, names: RegionNames) -> Parts:
        follows = f"It would pay from {pays_from(facts.higher)}: more does not pay. Whether less would do, is open."
        return words_of_steps(facts.higher, facts.lower, names, follows, "More does not pay")

    def sensitivity(self, facts: GradedFacts, names: RegionNames) -> tuple[str, ...]:
        return RegionsUnresolved().sensitivity(facts.lower, names)
