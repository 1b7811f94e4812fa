"""The step down pays, and the step up is not shown to: the usual spend is the highest level of which it is known."""

from __future__ import annotations

from neat_verdict.core.verdicts.by_region.base import RegionNames, draws_differ, format_return
from neat_verdict.core.verdicts.by_region.graded.base import GradedFacts, GradedKind, pays_from, words_of_steps
from neat_verdict.core.verdicts.kinds.base import Parts


class PlannedPays(GradedKind):
    name, title, tone, mark, order = "planned_pays", "Planned level pays", "ahead", "▲", 3
    meaning = "Each unit from the lower level up to the usual brings more than break-even; of more it is not shown."
    suggested = "A"

    def holds(self, facts: GradedFacts) -> bool:
        return facts.lower.pays

    def words(self, facts: GradedFacts, names: RegionNames) -> Parts:
        higher = facts.higher
        more = "More does not." if higher.does_not_pay else "Whether more would, is open."
        follows = f"It pays from {pays_from(facts.lower)}: what is planned pays. {more}"
        return words_of_steps(facts.lower, higher, names, follows, "Planned level pays")

    def sensitivity(self, facts: GradedFacts, _names: RegionNames) -> tuple[str, ...]:
        interval = facts.lower.interval
        assert interval is not None
        return (
            f"Were {format_return(interval.low)} or more needed for it to pay, the step down would be open.",
            *draws_differ(facts.lower),
        )
