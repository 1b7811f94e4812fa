"""A variant is shown not to be worse by as much as the margin, and harms nothing."""

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


class NotWorse(VerdictKind):
    name, title, tone, mark, order = "not_worse", "Not worse", "same", "≥", 2
    meaning = (
        "Sound, the minimum met, a variant’s interval clear of every loss as large as the margin, no guardrail harmed and every "
        "goal reached."
    )
    counts_as = "flat"
    says_yes = True

    def holds(self, facts: Facts) -> BoolArray:
        return some(facts.clean)

    def variant(self, facts: Facts) -> Positions:
        return facts.best(facts.clean)

    def suggested(self, variant: int | None) -> str:
        return LETTERS[variant or 0]

    def words(self, reading: Reading, rule: DecisionRule, names: Names) -> Parts:
        position = reading.spoken_of
        figure, margin = (
            estimate_of(reading, position, rule, names),
            reading.scale.size_words(rule.worthwhile_lift, names),
        )
        detail = interval_words(reading, position, rule, names) + also_words(
            reading, names, "is not worse by that much"
        )
        if reading.effect(position).turned(rule.sign).high < 0:
            detail += " It is worse all the same, by less than the margin."
        return Parts(
            f"{names.variant(position)} is not worse than {names.variant(0)} in {names.metric} by as much as {margin}: {figure}.",
            f"{LETTERS[position]} not worse: {figure}",
            detail,
            figure,
        )

    def sensitivity(self, reading: Reading, rule: DecisionRule, names: Names) -> tuple[str, ...]:
        return what_it_hangs_on(reading, rule, names)
