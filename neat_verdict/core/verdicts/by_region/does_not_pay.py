"""What the spending brings lies below what it must bring."""

from __future__ import annotations

from neat_verdict.core.verdicts.by_region.base import (
    RegionFacts,
    RegionNames,
    RegionVerdictKind,
    format_return,
    words_of_return,
)
from neat_verdict.core.verdicts.kinds.base import Parts


class SpendingDoesNotPay(RegionVerdictKind[RegionFacts]):
    name, title, tone, mark, order = "spending_does_not_pay", "Spending does not pay", "behind", "▼", 3
    meaning = "Sound, run to its end, the interval of the incremental return below break-even."
    suggested = "B"

    def holds(self, facts: RegionFacts) -> bool:
        return facts.does_not_pay

    def words(self, facts: RegionFacts, names: RegionNames) -> Parts:
        pays = format_return(facts.reading.test.break_even)
        return words_of_return(facts, names, f"It would pay from {pays}.", "Does not pay")

    def sensitivity(self, facts: RegionFacts, _names: RegionNames) -> tuple[str, ...]:
        assert facts.interval is not None
        high = facts.interval.high
        if high <= 0:
            return ("However little were needed, it would not pay.",)
        return (f"Were {format_return(high)} or less enough for it to pay, it would be unresolved.",)
