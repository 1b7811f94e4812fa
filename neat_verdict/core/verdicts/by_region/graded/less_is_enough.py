"""The step down does not pay: the money between the lower level and the usual brings less than it must."""

from __future__ import annotations

from neat_verdict.core.text.format import format_percent
from neat_verdict.core.verdicts.by_region.base import RegionNames, format_return
from neat_verdict.core.verdicts.by_region.graded.base import GradedFacts, GradedKind, pays_from, words_of_steps
from neat_verdict.core.verdicts.kinds.base import Parts


class LessIsEnough(GradedKind):
    name, title, tone, mark, order = "less_is_enough", "Less is enough", "behind", "▼", 4
    meaning = "The interval of what each unit from the lower level up to the usual brings lies below break-even."
    suggested = "B"

    def holds(self, facts: GradedFacts) -> bool:
        return facts.lower.does_not_pay and not facts.contradicts

    def words(self, facts: GradedFacts, names: RegionNames) -> Parts:
        level = format_percent(facts.lower.reading.test.level)
        follows = f"It would pay from {pays_from(facts.lower)}: {level} is enough."
        return words_of_steps(facts.lower, facts.higher, names, follows, "Less is enough")

    def sensitivity(self, facts: GradedFacts, _names: RegionNames) -> tuple[str, ...]:
        interval = facts.lower.interval
        assert interval is not None
        enough = (
            f"Were {format_return(interval.high)} or less enough for it to pay, the step down would be open."
            if interval.high > 0
            else "However little were needed, this step would not pay."
        )
        return (enough, "Whether still less would do was not tried.")
