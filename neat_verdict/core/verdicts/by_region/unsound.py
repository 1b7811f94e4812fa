"""Money still went where none was to go, or too much is missing: nothing may be read."""

from __future__ import annotations

from neat_verdict.core.regions.reading import LOST
from neat_verdict.core.text.format import format_percent, format_share, plural
from neat_verdict.core.verdicts.by_region.base import RegionFacts, RegionNames, RegionVerdictKind
from neat_verdict.core.verdicts.kinds.base import Parts


class RegionsUnsound(RegionVerdictKind[RegionFacts]):
    name, title, tone, mark, order = "regions_unsound", "Unsound", "unsound", "✕", 0
    meaning = "Spending was not changed as planned, or too many regions lack data: nothing may be read."
    readable = False

    def holds(self, facts: RegionFacts) -> bool:
        return bool(facts.unsound)

    def words(self, facts: RegionFacts, names: RegionNames) -> Parts:
        reading, limit = facts.reading, facts.reading.test.leak_limit
        left, pairs = len(reading.left_out), len(reading.test.pairs)
        if facts.unsound == "leak":
            leak = format_share((reading.watch.leak if reading.watch else None) or 0.0)
            if reading.test.arm != "withheld":
                level = format_percent(reading.test.level)
                return Parts(
                    f"Nothing may be read: where {level} was to be spent, {leak} of the change went another way.",
                    f"Unsound: {leak} off the level of {level}",
                    f"The limit set before the start is {format_percent(limit)} of the change. Watch names the regions; begin "
                    "another test when the levels can be kept to.",
                )
            return Parts(
                f"Nothing may be read: {leak} of the usual spend still went to the withheld regions.",
                f"Unsound: {leak} still spent where it was withheld",
                f"The limit set before the start is {format_percent(limit)}. Watch names the regions; find what still buys "
                "there, and begin another test when it has stopped.",
            )
        if facts.unsound == "lost":
            lost = format_share(reading.lost)
            return Parts(
                f"Nothing may be read: regions with {lost} of {names.of(names.outcome)} lack data.",
                f"Unsound: {lost} of {names.of(names.outcome)} is missing",
                f"{plural(left, 'pair')} of {pairs} lack more than a quarter of the days; at most "
                f"{format_percent(LOST)} may be missing. Watch names the regions; bring their days in.",
            )
        return Parts(
            f"Nothing may be read: only {plural(pairs - left, 'pair')} of {pairs} have data.",
            f"Unsound: only {pairs - left} of {plural(pairs, 'pair')} have data",
            "So few can show nothing at this confidence, whatever they show. Watch names what is missing; bring it in.",
        )
