"""Spending did not keep to a level, or too much is missing at one: nothing may be read."""

from __future__ import annotations

from neat_verdict.core.verdicts.by_region.base import RegionNames
from neat_verdict.core.verdicts.by_region.graded.base import GradedFacts, GradedKind
from neat_verdict.core.verdicts.by_region.unsound import RegionsUnsound
from neat_verdict.core.verdicts.kinds.base import Parts


class GradedUnsound(GradedKind):
    name, title, tone, mark, order = "graded_unsound", "Unsound", "unsound", "✕", 0
    meaning = "Spending did not keep to one of the levels, or too many of its regions lack data: nothing may be read."
    readable = False

    def holds(self, facts: GradedFacts) -> bool:
        return any(arm.unsound for arm in facts.arms)

    def words(self, facts: GradedFacts, names: RegionNames) -> Parts:
        first = next(arm for arm in facts.arms if arm.unsound)
        return RegionsUnsound().words(first, names)
