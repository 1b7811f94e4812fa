"""The docket, and what is sent to set a look aside or to decide."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel as Schema  # its instances are taken as they are, not walked through again

from neat_verdict.app.analysis.schemas.intervals import IntervalOut, Tone
from neat_verdict.app.http.bodies import Body, shown
from neat_verdict.app.traffic.schemas import RolloutIn


class AsideIn(Body):
    reason: str


class Summed(Schema):
    """What lists show of how an experiment stands, whoever looks."""

    metric: str
    group: Literal["ready", "collecting", "preparation", "tailored", "decided", "archived"]
    verdict: str | None
    short: str
    lift: IntervalOut | None
    adjusted_text: str = ""
    tone: Tone
    progress: float | None
    days: int
    planned_days: int


class DocketRow(Summed):
    key: str
    name: str
    area: str
    owner: str
    mine: bool
    state: Literal["draft", "scheduled", "running", "paused", "ended", "decided", "tailored", "archived"]
    worthwhile_lift: float


class Docket(Schema):
    """``behind`` of the rows show what was there a moment ago: what came in since is being read."""

    headline: str
    rows: list[DocketRow]
    areas: list[str]
    behind: int


class DecideIn(Body):
    """``rollout`` is that of the variant chosen; without it, units that have the variant keep it and nobody else gets it."""

    model_config = shown(choice="B", reason="Clear, and no guardrail is behind")
    choice: str
    reason: str = ""
    next_step: str = ""
    rollout: RolloutIn | None = None
