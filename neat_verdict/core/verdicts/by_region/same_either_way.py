"""It brings about what it costs: neither spending nor saving makes a difference worth while."""

from __future__ import annotations

from neat_verdict.core.text.format import format_percent
from neat_verdict.core.verdicts.by_region.base import (
    RegionFacts,
    RegionNames,
    RegionVerdictKind,
    format_return,
    words_of_return,
)
from neat_verdict.core.verdicts.kinds.base import Parts


class SameEitherWay(RegionVerdictKind[RegionFacts]):
    name, title, tone, mark, order = "same_either_way", "No worthwhile difference", "same", "＝", 4
    meaning = "The whole interval of the incremental return lies so close to break-even that it makes no difference worth while."

    def holds(self, facts: RegionFacts) -> bool:
        return facts.same

    def words(self, facts: RegionFacts, names: RegionNames) -> Parts:
        test = facts.reading.test
        band = f"{format_percent(test.same_within)} more or less than {format_return(test.break_even)} does not matter."
        return words_of_return(facts, names, f"It pays for itself: {band}", "No worthwhile difference")
