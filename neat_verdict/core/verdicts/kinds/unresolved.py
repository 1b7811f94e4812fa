"""The planned end is reached and nothing may be concluded."""

from __future__ import annotations

from typing import TYPE_CHECKING

from neat_verdict.core.numeric import BoolArray
from neat_verdict.core.text.names import Names
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts.facts import Facts, Positions
from neat_verdict.core.verdicts.kinds.base import Parts, VerdictKind, spoken_of, what_helps
from neat_verdict.core.verdicts.sensitivity import more_data

if TYPE_CHECKING:
    from neat_verdict.core.rule import DecisionRule
    from neat_verdict.core.verdicts.reading import Reading


class Unresolved(VerdictKind):
    name, title, tone, mark, order = "unresolved", "Unresolved", "choice", "?", 5
    meaning = "The planned end is reached and none of the other verdicts holds."

    def holds(self, facts: Facts) -> BoolArray:
        return facts.closed

    def variant(self, facts: Facts) -> Positions:
        return facts.best()

    def words(self, reading: Reading, rule: DecisionRule, names: Names) -> Parts:
        missing = [line for line in reading.conditions if line.subject == "minimum" and line.state != "met"]
        if missing or not reading.comparisons:
            parts = "; ".join(f"{line.label} (got to {line.seen})" for line in missing) or "enough units to compare"
            headline = "Ended before the rule's minimum was met; it cannot be called."
            return Parts(headline, "Unresolved: ended before its minimum", f"Missing: {parts}.{what_helps(missing)}")
        position, _ = spoken_of(reading)
        scale, effect = reading.scale, reading.effect(position)
        whose = f" of {LETTERS[position]}" if len(reading.comparisons) > 1 else ""
        bounds = scale.bounds_words(effect.low, effect.high, names)
        size = scale.size_words(rule.worthwhile_lift, names) if scale.size_known else ""
        return Parts(
            f"Not settled: the {scale.noun}{whose} in {names.metric} may be anything from {bounds}.",
            f"Unresolved: {bounds}",
            rule.question.open_words(scale.noun, size),
        )

    def sensitivity(self, reading: Reading, rule: DecisionRule, names: Names) -> tuple[str, ...]:
        return more_data(reading, rule, spoken_of(reading)[0], names)
