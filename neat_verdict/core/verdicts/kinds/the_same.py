"""A variant is shown to be the same as control, within the margin to both sides, and harms nothing."""

from __future__ import annotations

from typing import TYPE_CHECKING

from neat_verdict.core.numeric import BoolArray
from neat_verdict.core.text.names import Names
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts.facts import Facts, Positions, some
from neat_verdict.core.verdicts.kinds.base import Parts, VerdictKind, also_words, estimate_of, interval_words
from neat_verdict.core.verdicts.sensitivity import what_it_hangs_on

if TYPE_CHECKING:
    from neat_verdict.core.rule import DecisionRule
    from neat_verdict.core.verdicts.reading import Reading


class TheSame(VerdictKind):
    name, title, tone, mark, order = "the_same", "The same", "same", "=", 2
    meaning = "Sound, the minimum met, a variant’s whole interval within the margin to both sides, no guardrail harmed."
    counts_as = "flat"
    says_yes = True

    def holds(self, facts: Facts) -> BoolArray:
        return some(facts.clean)

    def variant(self, facts: Facts) -> Positions:
        return facts.best(facts.clean)

    def suggested(self, variant: int | None) -> str:
        return LETTERS[variant or 0]

    def words(self, reading: Reading, rule: DecisionRule, names: Names) -> Parts:
        position, scale = reading.spoken_of, reading.scale
        figure, margin = estimate_of(reading, position, rule, names), scale.size_words(rule.worthwhile_lift, names)
        detail = interval_words(reading, position, rule, names) + also_words(reading, names, "lies within it")
        return Parts(
            f"{names.variant(position)} and {names.variant(0)} are the same in {names.metric}, within ±{margin}: {figure}.",
            f"{LETTERS[position]} the same: {figure}",
            detail,
            figure,
        )

    def sensitivity(self, reading: Reading, rule: DecisionRule, names: Names) -> tuple[str, ...]:
        return what_it_hangs_on(reading, rule, names)
