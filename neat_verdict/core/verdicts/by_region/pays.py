"""What the spending brings lies above what it must bring."""

from __future__ import annotations

from neat_verdict.core.text.format import format_pvalue
from neat_verdict.core.verdicts.by_region.base import (
    RegionFacts,
    RegionNames,
    RegionVerdictKind,
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
        primary, interval = facts.reading.primary, facts.interval
        assert interval is not None
        assert primary is not None
        lines = [f"Were {format_return(interval.low)} or more needed for it to pay, it would be unresolved."]
        if primary.pvalue > 1 - facts.reading.test.confidence:
            lines.append(
                f"Other draws alone do not show an effect (p {format_pvalue(primary.pvalue)}): the interval of the return rests "
                "on Student’s t, and with few pairs the two can differ. More pairs would say."
            )
        return tuple(lines)
