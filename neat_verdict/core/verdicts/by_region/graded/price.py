"""A step pays in the outcome that decides, and makes another one worse."""

from __future__ import annotations

from neat_verdict.core.text.format import listed
from neat_verdict.core.verdicts.by_region.base import RegionFacts, RegionNames
from neat_verdict.core.verdicts.by_region.graded.base import GradedFacts, GradedKind, words_of_steps
from neat_verdict.core.verdicts.kinds.base import Parts


class GradedPrice(GradedKind):
    name, title, tone, mark, order = "graded_price", "Pays at a price", "choice", "◆", 1
    meaning = "A step of spending pays, but makes another outcome worse: somebody must choose."

    def holds(self, facts: GradedFacts) -> bool:
        return _step(facts) is not None

    def words(self, facts: GradedFacts, names: RegionNames) -> Parts:
        step = _step(facts)
        assert step is not None
        other = facts.lower if step is facts.higher else facts.higher
        worse = listed([names.of(one.outcome) for one in step.harmed])
        return words_of_steps(step, other, names, f"It pays. But it makes {worse} worse.", "Pays at a price")


def _step(facts: GradedFacts) -> RegionFacts | None:
    return next((arm for arm in (facts.higher, facts.lower) if arm.pays and arm.harmed), None)
