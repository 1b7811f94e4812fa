"""The step up pays."""

from __future__ import annotations

from neat_verdict.core.text.format import format_percent
from neat_verdict.core.verdicts.by_region.base import RegionNames, draws_differ, format_return
from neat_verdict.core.verdicts.by_region.graded.base import GradedFacts, GradedKind, pays_from, words_of_steps
from neat_verdict.core.verdicts.kinds.base import Parts


class MorePays(GradedKind):
    name, title, tone, mark, order = "more_pays", "More pays", "ahead", "▲", 2
    meaning = "The interval of what each unit beyond the usual brings lies above break-even: the higher level pays."
    suggested = "C"

    def holds(self, facts: GradedFacts) -> bool:
        return facts.higher.pays and not facts.contradicts

    def words(self, facts: GradedFacts, names: RegionNames) -> Parts:
        level = format_percent(facts.higher.reading.test.level)
        follows = f"It pays from {pays_from(facts.higher)}: {level} pays."
        return words_of_steps(facts.higher, facts.lower, names, follows, "More pays")

    def sensitivity(self, facts: GradedFacts, _names: RegionNames) -> tuple[str, ...]:
        interval = facts.higher.interval
        assert interval is not None
        return (
            f"Were {format_return(interval.low)} or more needed for it to pay, the step up would be open.",
            *draws_differ(facts.higher),
            "Whether still more would pay was not tried.",
        )
