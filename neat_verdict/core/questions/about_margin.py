"""What questions about a margin share: how they are sized and rehearsed, and the line that their effect is held against."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Sequence
from typing import TYPE_CHECKING, ClassVar

from neat_verdict.core.questions.base import Question
from neat_verdict.core.sizing.margins import smallest_margin
from neat_verdict.core.text.format import format_pvalue
from neat_verdict.core.text.statements import Condition, condition

if TYPE_CHECKING:
    from neat_verdict.core.planning.request import PlanRequest
    from neat_verdict.core.statistics import Comparison


class AboutMargin(Question):
    """The size of the rule is the margin; a plan expects no true difference."""

    size_name, looked_for = "Margin", "margin"
    size_sign: ClassVar[int] = -1

    @abstractmethod
    def chance(self, request: PlanRequest, margin: float, total: float, critical_value: float) -> float:
        """Chance of a yes within a margin, with so many units of a single reading, where nothing differs."""

    def power(self, request: PlanRequest, total: float, critical_value: float) -> float:
        return self.chance(request, request.worthwhile_lift, total, critical_value)

    def smallest(self, request: PlanRequest, total: float, critical_value: float) -> float | None:
        return smallest_margin(
            lambda margin: self.chance(request, margin, total, critical_value), request.strictness.power
        )

    def refuses_size(self, size: float, sign: int) -> str:
        # Every variant lies within such a margin.
        above = size >= 1 and (sign > 0 or self.both_bounds)
        return "must be under 100% as a margin: no level falls by more than all of it" if above else ""

    def rehearsed_worlds(self, size: float) -> Sequence[tuple[str, float]]:
        return ("none", 0.0), ("margin", -size)


def margin_condition(
    label: str, met: bool | None, seen: str, required: str, comparison: Comparison | None = None, *, readable: bool
) -> Condition:
    """The line of an effect that is held against a margin, with the p of its test; unknown where ``met`` is None."""
    if met is None or not readable:
        return Condition("margin", "effect", label, "unknown", seen if met is None else "not read yet", required)
    if comparison is not None and comparison.margin_pvalue is not None:
        seen = f"{seen}, p {format_pvalue(comparison.margin_pvalue)}"
    return condition("margin", "effect", label, met, seen, required)
