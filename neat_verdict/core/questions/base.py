"""What a question is: what the interval must show, and its words. A question is one module of this package."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Sequence
from typing import TYPE_CHECKING, ClassVar

if TYPE_CHECKING:
    from neat_verdict.core.planning.request import PlanRequest
    from neat_verdict.core.rule import DecisionRule
    from neat_verdict.core.sizing.sample_size import SampleSize


class Question(ABC):
    """What a test asks of a variant against control. ``title`` and ``explanation`` are for the screens."""

    name: ClassVar[str]
    title: ClassVar[str]
    explanation: ClassVar[str]

    @abstractmethod
    def units_needed(self, request: PlanRequest, critical_value: float) -> SampleSize:
        """Units for a single reading at a critical value. Raises InputError naming the figure out of its range."""

    @abstractmethod
    def words(self, rule: DecisionRule, *, several: bool) -> Sequence[str]:
        """When a variant wins and what else may be concluded, as sentences."""
