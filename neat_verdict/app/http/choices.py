"""Fields that take the name of a member of a registry: what is accepted is said once, by the registry."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Annotated, Any

from pydantic_core import CoreSchema, core_schema

from neat_verdict.core.methods import METHODS
from neat_verdict.core.metrics import KINDS, MEASURE_KINDS
from neat_verdict.core.questions import QUESTIONS
from neat_verdict.core.statistics.arms import ARMS


@dataclass(frozen=True)
class OneOf:
    """Validates, and describes as an enumeration, one of ``names``."""

    names: tuple[str, ...]

    def __get_pydantic_core_schema__(self, source: Any, handler: Any) -> CoreSchema:
        return core_schema.literal_schema([*self.names])


def _names(registry: Iterable[str]) -> OneOf:
    return OneOf(tuple(registry))


MethodName = Annotated[str, _names(METHODS)]
QuestionName = Annotated[str, _names(QUESTIONS)]
MetricKind = Annotated[str, _names(KINDS)]
MeasureKind = Annotated[str, _names(MEASURE_KINDS)]
LevelNoun = Annotated[str, _names(arm.notation.noun for arm in ARMS)]
