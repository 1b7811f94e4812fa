"""A variant is shown not to be worse by as much as the margin, and harms nothing."""

from __future__ import annotations

from typing import TYPE_CHECKING

from neat_verdict.core.verdicts.kinds.within_margin import WithinMargin

if TYPE_CHECKING:
    from neat_verdict.core.rule import DecisionRule
    from neat_verdict.core.verdicts.reading import Reading


class NotWorse(WithinMargin):
    name, title, mark = "not_worse", "Not worse", "≥"
    meaning = (
        "Sound, the minimum met, a variant’s interval clear of every loss as large as the margin, no guardrail harmed and every "
        "goal reached."
    )
    in_short, of_others = "not worse", "is not worse by that much"

    def claim(self, variant: str, control: str, metric: str, margin: str) -> str:
        return f"{variant} is not worse than {control} in {metric} by as much as {margin}"

    def remark(self, reading: Reading, rule: DecisionRule) -> str:
        worse = reading.effect(reading.spoken_of).turned(rule.sign).high < 0
        return " It is worse all the same, by less than the margin." if worse else ""
