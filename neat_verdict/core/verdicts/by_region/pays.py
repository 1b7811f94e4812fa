"""What the spending brings lies above what it must bring."""

from __future__ import annotations

from neat_verdict.core.verdicts.by_region.base import (
    RegionFacts,
    RegionNames,
    RegionVerdictKind,
    draws_differ,
    format_return,
    words_of_return,
)
from neat_verdict.core.verdicts.kinds.base import Parts


class SpendingPays(RegionVerdictKind[RegionFacts]):
    name, title, tone, mark, order = "spending_pays", "Spending pays", "ahead", "▲", 2
    meaning = "Sound, run to its end, the interval of the incremental return above break-even."
    suggested = "A"

    def holds(self, facts: RegionFacts) -> bool:
        return facts.pays

    def words(self, facts: RegionFacts, names: RegionNames) -> Parts:
        pays = format_return(facts.reading.test.break_even)
        return words_of_return(facts, names, f"It pays from {pays}.", "Pays")

    def sensitivity(self, facts: RegionFacts, _names: RegionNames) -> tuple[str, ...]:
        assert facts.interval is not None
        return (
            f"Were {format_return(facts.interval.low)} or more needed for it to pay, it would be unresolved.",
            *draws_differ(facts),
        )
