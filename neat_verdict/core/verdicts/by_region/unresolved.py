"""It was ended early, or what it shows lies on both sides of break-even."""

from __future__ import annotations

import math

from neat_verdict.core.text.format import plural
from neat_verdict.core.verdicts.by_region.base import (
    RegionFacts,
    RegionNames,
    RegionVerdictKind,
    effect_words,
    format_return,
    words_of_return,
)
from neat_verdict.core.verdicts.kinds.base import Parts

MANY = 2000  # pairs, beyond which none are asked for


class RegionsUnresolved(RegionVerdictKind[RegionFacts]):
    name, title, tone, mark, order = "regions_unresolved", "Unresolved", "open", "◇", 5
    meaning = "Run to its end, and break-even lies within the interval of the incremental return; or ended before it."

    def holds(self, _facts: RegionFacts) -> bool:
        return True

    def words(self, facts: RegionFacts, names: RegionNames) -> Parts:
        test, days = facts.reading.test, facts.reading.days
        if facts.ended_early and not facts.finished:
            early = f"Ended on day {days} of {test.days}"
            return Parts(
                f"{early}: unresolved, whatever it shows.",
                f"{early}; unresolved",
                "It was to be read once, at its end: what is ended while it is looked at ends where chance made it look well. "
                f"{effect_words(facts, names)}",
            )
        pays = format_return(test.break_even)
        return words_of_return(facts, names, f"Whether it reaches {pays}, from which it pays, is open.", "Unresolved")

    def sensitivity(self, facts: RegionFacts, _names: RegionNames) -> tuple[str, ...]:
        interval, test = facts.interval, facts.reading.test
        if interval is None or (facts.ended_early and not facts.finished):
            return ()
        off = interval.estimate - test.break_even
        reach = interval.estimate - interval.low if off > 0 else interval.high - interval.estimate
        pairs = len(test.pairs) - len(facts.reading.left_out)
        # The interval narrows with the square root of the number of pairs.
        needed = math.ceil(pairs * (reach / off) ** 2) if off else MANY + 1
        if needed > MANY:
            return ("What it shows is so near break-even that no number of regions would resolve it.",)
        return (
            f"If it goes on to bring {format_return(interval.estimate)}, about {plural(needed, 'pair')} like these "
            f"({pairs} here), or as many times longer, would show it.",
        )
