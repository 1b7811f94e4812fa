"""A variant is shown to be the same as control, within the margin to both sides, and harms nothing."""

from __future__ import annotations

from neat_verdict.core.verdicts.kinds.within_margin import WithinMargin


class TheSame(WithinMargin):
    name, title, mark = "the_same", "The same", "="
    meaning = "Sound, the minimum met, a variant’s whole interval within the margin to both sides, no guardrail harmed."
    in_short, of_others = "the same", "lies within it"

    def claim(self, variant: str, control: str, metric: str, margin: str) -> str:
        return f"{variant} and {control} are the same in {metric}, within ±{margin}"
