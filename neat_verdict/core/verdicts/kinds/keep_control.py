"""Every other variant is shown to be worse, or not to reach the worthwhile lift."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from neat_verdict.core.numeric import BoolArray
from neat_verdict.core.text.names import Names
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts.facts import Facts, Positions, every, some
from neat_verdict.core.verdicts.kinds.base import Parts, VerdictKind, estimate_of, interval_words

if TYPE_CHECKING:
    from neat_verdict.core.rule import DecisionRule
    from neat_verdict.core.verdicts.reading import Reading


class KeepControl(VerdictKind):
    name, title, tone, mark, order = "keep_control", "Keep control", "behind", "▼", 3
    meaning = (
        "Sound, and every other variant is worse (by more than the margin, where that is the question), or its interval lies "
        "below the worthwhile lift."
    )
    counts_as = "lost"

    def holds(self, facts: Facts) -> BoolArray:
        return facts.readable & ~some(facts.wins) & every(facts.refuted)

    def variant(self, facts: Facts) -> Positions:
        return np.zeros(facts.sound.shape, dtype=np.int64)

    def suggested(self, _variant: int | None) -> str:
        return LETTERS[0]

    def words(self, reading: Reading, rule: DecisionRule, names: Names) -> Parts:
        if len(reading.left) > 1:
            closest = max(reading.left, key=lambda position: reading.effect(position).estimate * rule.sign)
            return Parts(
                f"Keep {names.variant(0)}: none of the {len(reading.left)} other variants is worth having.",
                f"None ahead. Keep {LETTERS[0]}",
                f"The closest: {interval_words(reading, closest, rule, names)}",
            )
        (other,) = reading.left
        detail = interval_words(reading, other, rule, names)
        if reading.effect(other).turned(rule.sign).high < 0:
            brings, figure = reading.arms[0].notation.verbs[rule.sign > 0], estimate_of(reading, other, rule, names)
            headline = f"Keep {names.variant(0)}: {names.variant(other)} {brings} {names.metric}, {figure}."
            return Parts(headline, f"{LETTERS[other]} behind: {figure}", detail, figure)
        worthwhile = reading.scale.size_words(rule.worthwhile_lift, names)
        return Parts(
            f"Keep {names.variant(0)}: {names.variant(other)} does not reach the {worthwhile} worth acting on.",
            f"{LETTERS[other]} not worth it. Keep {LETTERS[0]}",
            detail,
        )

    def sensitivity(self, reading: Reading, rule: DecisionRule, names: Names) -> tuple[str, ...]:
        near = max(effect.turned(rule.sign).high for effect in reading.effects)
        best = reading.scale.effect_words(near * rule.sign, names)
        return (
            f"A rollout would need a {reading.scale.noun} that the data rule out: at best {best} is compatible with them.",
        )
