"""The docket, and what is sent to set a look aside or to decide."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel as Schema  # its instances are taken as they are, not walked through again

from neat_verdict.app.analysis.schemas.intervals import IntervalOut, Tone
from neat_verdict.app.traffic.schemas import RolloutIn


class AsideIn(Schema):
    reason: str


class DocketRow(Schema):
    key: str
    name: str
    metric: str
    area: str
    owner: str
    mine: bool
    state: Literal["draft", "scheduled", "running", "paused", "ended", "decided", "tailored", "archived"]
    group: Literal["ready", "collecting", "preparation", "tailored", "decided", "archived"]
    verdict: str | None
    short: str
    lift: IntervalOut | None
    adjusted_text: str = ""
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
    """``rollout`` is that of the variant chosen; without it, units that have the variant keep it and nobody else gets it."""

    choice: str
    reason: str = ""
    next_step: str = ""
    rollout: RolloutIn | None = None
