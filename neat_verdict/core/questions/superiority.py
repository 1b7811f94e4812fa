"""Is the variant better than control?"""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from neat_verdict.core.questions.base import Question
from neat_verdict.core.sizing.sample_size import SampleSize, sample_size
from neat_verdict.core.text.format import format_percent, listed

if TYPE_CHECKING:
    from neat_verdict.core.planning.request import PlanRequest
    from neat_verdict.core.rule import DecisionRule


class Superiority(Question):
    name, title = "superiority", "Is it better?"
    explanation = "A variant wins when its interval lies clear of zero in the good direction."

    def units_needed(self, request: PlanRequest, critical_value: float) -> SampleSize:
        lift = request.sign * request.worthwhile_lift
        return sample_size(request.baseline, lift, request.arms, request.strictness, critical_value=critical_value)

    def words(self, rule: DecisionRule, *, several: bool) -> Sequence[str]:
        sentences = [rule.method.winner_words(rule, several=several)]
        if rule.goals:
            sentences.append(
                f"It must be shown to be better on {listed(rule.goals)} too: both must hold, so the level needs no correction."
            )
        margins = "; ".join(
            f"{rail.metric} no more than {format_percent(rail.margin)} worse"
            for rail in rule.guardrails
            if not rail.goal
        )
        if margins:
            sentences.append(f"It must also be shown to keep within every margin: {margins}.")
        lost = "is worse on a goal or a secondary metric" if rule.goals else "loses a secondary metric"
        worthwhile, every = format_percent(rule.worthwhile_lift), "every variant" if several else "the variant"
        sentences += [
            f"A variant that would win but harms a guardrail, or {lost}, is a trade-off and needs a decision.",
            f"{rule.method.interval_name} inside ±{worthwhile} is no worthwhile difference.",
            f"Control is kept when {every} is shown to be worse, or not to reach {worthwhile}.",
            "If none of this holds at the end, it stays unresolved.",
        ]
        return sentences
