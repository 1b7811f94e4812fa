"""The docket, and what is sent to set a look aside or to decide."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel as Schema  # its instances are taken as they are, not walked through again

from neat_verdict.app.analysis.schemas.intervals import IntervalOut
from neat_verdict.app.analysis.schemas.reading import Tone


class AsideIn(Schema):
    reason: str


class DocketRow(Schema):
    key: str
    name: str
    metric: str
    area: str
    owner: str
    mine: bool
    state: Literal["draft", "scheduled", "running", "paused", "ended", "decided", "archived"]
    group: Literal["ready", "collecting", "preparation", "decided", "archived"]
    verdict: str | None
    short: str
    lift: IntervalOut | None
    tone: Tone
    worthwhile_lift: float
    progress: float | None
    days: int
    planned_days: int


class Docket(Schema):
    headline: str
    rows: list[DocketRow]
    areas: list[str]


class DecideIn(Schema):
    choice: str
    reason: str = ""
    next_step: str = ""
