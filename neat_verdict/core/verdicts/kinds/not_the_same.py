"""Every other variant is shown to differ from control by more than the margin."""

from __future__ import annotations

from typing import TYPE_CHECKING

from neat_verdict.core.numeric import BoolArray
from neat_verdict.core.text.names import Names
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts.facts import Facts, Positions, every, some
from neat_verdict.core.verdicts.kinds.base import Parts, VerdictKind, estimate_of, interval_words

if TYPE_CHECKING:
    from neat_verdict.core.rule import DecisionRule
    from neat_verdict.core.verdicts.reading import Reading


class NotTheSame(VerdictKind):
    name, title, tone, mark, order = "not_the_same", "Not the same", "choice", "≠", 3
    meaning = "Sound, and every other variant’s interval lies beyond the margin, to one side or the other."
    counts_as = "lost"

    def holds(self, facts: Facts) -> BoolArray:
        return facts.readable & ~some(facts.wins) & every(facts.refuted)

    def variant(self, facts: Facts) -> Positions:
        return facts.best()

    def words(self, reading: Reading, rule: DecisionRule, names: Names) -> Parts:
        position, scale = reading.spoken_of, reading.scale
        figure, margin = estimate_of(reading, position, rule, names), scale.size_words(rule.worthwhile_lift, names)
        better = reading.effect(position).turned(rule.sign).low > 0
        brings = reading.arms[0].notation.verbs[(rule.sign < 0) if better else (rule.sign > 0)]
        # A control without conversions leaves no relative figure.
        seen = f": {figure}" if figure else ""
        return Parts(
            f"Not the same: {names.variant(position)} {brings} {names.metric} than {names.variant(0)}, by more than {margin}"
            f"{seen}.",
            f"{LETTERS[position]} {'better' if better else 'worse'}, not the same{seen}",
            interval_words(reading, position, rule, names),
            figure,
        )

    def sensitivity(self, reading: Reading, rule: DecisionRule, names: Names) -> tuple[str, ...]:
        scale = reading.scale
        beyond = [max(-effect.high, effect.low) for effect in reading.effects]
        return (
            f"For them to be the same the margin would have to be over {scale.size_words(min(beyond), names)}, the least "
            f"{scale.noun} that the data allow.",
        )
