"""Shapes of metrics over HTTP."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field

from neat_verdict.app.http.bodies import Body, shown
from neat_verdict.app.http.choices import MeasureKind, MetricKind
from neat_verdict.core.matching import MAX_CONDITIONS, Operator, ValueKind
from neat_verdict.core.metrics import TotalOf, Unit
from neat_verdict.core.metrics.measures import MAX_PARTS
from neat_verdict.core.rule import Direction


class ConditionIO(Schema):
    model_config = {"extra": "forbid"}
    attribute: str = Field(max_length=80)
    operator: Operator = "is"
    values: list[str] = Field(default_factory=list, max_length=200)
    kind: ValueKind = "text"


class FilterGroupIO(Schema):
    """Conditions of which all, or any one, must hold."""

    model_config = {"extra": "forbid"}
    kind: Literal["all", "any"]
    conditions: list[ConditionIO] = Field(min_length=1, max_length=MAX_CONDITIONS)


class EventFilterIO(Schema):
    """Events named ``event``, or any of ``or_events``, that fulfil all ``conditions`` and every group."""

    model_config = {"extra": "forbid"}
    event: str = Field(max_length=80)
    conditions: list[ConditionIO] = Field(default_factory=list, max_length=20)
    or_events: list[Annotated[str, Field(max_length=80)]] = Field(default_factory=list, max_length=MAX_PARTS)
    groups: list[FilterGroupIO] = Field(default_factory=list, max_length=MAX_PARTS)


class MeasureIO(Schema):
    model_config = {"extra": "forbid"}
    kind: MeasureKind
    events: EventFilterIO
    amount_of: str = Field(default="", max_length=80)
    cap: float | None = None
    first_only: bool = False


class TotalIO(Schema):
    """As `core.metrics.Total`."""

    model_config = {"extra": "forbid"}
    of: TotalOf
    metric: str = Field(default="", max_length=80)


class DefinitionIO(Schema):
    """As `core.metrics.Definition`."""

    model_config = {"extra": "forbid"}
    kind: MetricKind
    measure: MeasureIO | None = None
    denominator: MeasureIO | None = None
    steps: list[EventFilterIO] = Field(default_factory=list, max_length=10)
    totals: list[TotalIO] = Field(default_factory=list, max_length=2)
    within_hours: float | None = None
    window_hours: float | None = None
    good_direction: Direction = "up"
    unit: Unit = "percent"
    currency: str = Field(default="", max_length=3)


_DEFINITION = {"kind": "conversion", "measure": {"kind": "conversion", "events": {"event": "booking"}}}


class MetricIn(Body):
    model_config = shown(
        name="Booking rate",
        definition=_DEFINITION,
    )
    name: str = Field(max_length=80)
    description: str = Field(default="", max_length=2000)
    definition: DefinitionIO


class MetricEdit(MetricIn):
    """``version`` is the number of the latest version that was seen."""

    model_config = shown(
        version=1,
        name="Booking rate",
        definition=_DEFINITION,
    )
    version: int


class UseOut(Schema):
    experiment: str
    name: str
    state: str
    role: str
    version: int


class VersionOut(Schema):
    number: int
    made_by: str
    made_at: datetime
    words: str


class MetricOut(Schema):
    key: str
    name: str
    description: str
    version: int
    definition: DefinitionIO
    words: str
    events: list[str]
    uses: list[UseOut]
    versions: list[VersionOut]


class MetricPage(Schema):
    items: list[MetricOut]
    count: int


class MetricPreviewIn(Body):
    """A definition and sample events, one JSON object a line."""

    model_config = shown(
        definition=_DEFINITION,
        events='{"id": "e-1", "unit": "u-20417", "event": "booking", "at": "2026-03-02T09:00:00Z"}',
    )
    definition: DefinitionIO
    events: str = Field(max_length=200_000)


class PreviewLine(Schema):
    at: datetime
    event: str
    properties: str
    counted: bool
    reason: str


class PreviewUnit(Schema):
    unit: str
    value: float | None  # none of a quantile where the unit has none
    denominator: float | None
    steps: int | None
    lines: list[PreviewLine]


class MetricPreview(Schema):
    words: str
    units: list[PreviewUnit]
    total: float
    denominator: float | None
    figure: float | None
    figure_text: str
    steps: list[int]


class SampleOut(Schema):
    events: str
