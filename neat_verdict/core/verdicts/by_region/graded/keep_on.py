"""The graded test is on its way, or its last days are still to come in."""

from __future__ import annotations

from neat_verdict.core.verdicts.by_region.base import RegionNames
from neat_verdict.core.verdicts.by_region.graded.base import GradedFacts, GradedKind
from neat_verdict.core.verdicts.by_region.keep_on import KeepOn
from neat_verdict.core.verdicts.kinds.base import Parts


class GradedKeepOn(GradedKind):
    name, title, tone, mark, order = "graded_keep_on", "Keep on", "open", "○", 9
    meaning = "Both levels are read once, at the end that was planned; until then it goes on as it is."
    suggested = ""
    settled = False

    def holds(self, facts: GradedFacts) -> bool:
        return KeepOn().holds(facts.lower)

    def words(self, facts: GradedFacts, names: RegionNames) -> Parts:
        return KeepOn().words(facts.lower, names)
