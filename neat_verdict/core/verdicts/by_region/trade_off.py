"""It pays in the outcome that decides, and makes another one worse."""

from __future__ import annotations

from neat_verdict.core.text.format import listed
from neat_verdict.core.verdicts.by_region.base import RegionFacts, RegionNames, RegionVerdictKind
from neat_verdict.core.verdicts.by_region.pays import SpendingPays
from neat_verdict.core.verdicts.kinds.base import Parts


class PaysAtAPrice(RegionVerdictKind[RegionFacts]):
    name, title, tone, mark, order = "pays_at_a_price", "Pays at a price", "choice", "◆", 1
    meaning = "The incremental return lies above break-even, but the spending makes another outcome worse: somebody must choose."

    def holds(self, facts: RegionFacts) -> bool:
        return facts.pays and bool(facts.harmed)

    def words(self, facts: RegionFacts, names: RegionNames) -> Parts:
        parts = SpendingPays().words(facts, names)
        worse = listed([names.of(one.outcome) for one in facts.harmed])
        return Parts(
            f"{parts.headline} But it makes {worse} worse.",
            f"{parts.short}; worse: {worse}",
            parts.detail,
            parts.figure,
        )
