"""The docket, and what is sent to set a look aside or to decide."""

from __future__ import annotations

from datetime import date, datetime
from typing import Literal

from ninja import Schema as QuerySchema
from pydantic import BaseModel as Schema  # its instances are taken as they are, not walked through again
from pydantic import Field

from neat_verdict.app.analysis.schemas.intervals import IntervalOut, Tone
from neat_verdict.app.experiments.schemas import OwnerOut, State
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


class DocketFilter(QuerySchema):
    """What rows are shown: those that fit every filter that is given. ``search`` has words of name, metric, area and key;
    ``owner`` is a name to sign in with, ``metric`` a key; ``changed`` are those that others have changed since one looked.
    ``sort`` begins with "-" for the largest, or latest, first."""

    search: str = Field(default="", max_length=200)
    area: str = Field(default="", max_length=80)
    owner: str = Field(default="", max_length=150)
    metric: str = Field(default="", max_length=80)
    state: list[State] = Field(default=[])
    verdict: list[str] = Field(default=[])
    mine: bool = False
    archived: bool = False
    changed: bool = False
    changed_since: date | None = Field(default=None, ge=date(2000, 1, 1))
    sort: Literal[
        "urgency", "name", "-name", "changed", "-changed", "started", "-started", "lift", "-lift"
    ] = "urgency"  # fmt: skip

    def narrows(self) -> bool:
        """Whether somebody looks for something, rather than at what there is to do."""
        return self.model_copy(update={"archived": False}) != DocketFilter()


class DocketRow(Summed):
    """``news`` is how often others have changed it since one looked, ``latest_news`` what the last of them did."""

    key: str
    name: str
    area: str
    owner: str
    mine: bool
    state: State
    worthwhile_lift: float
    changed_at: datetime | None
    news: int
    latest_news: str


class MetricChoice(Schema):
    key: str
    name: str


class Choices(Schema):
    """What there is to filter by."""

    areas: list[str]
    owners: list[OwnerOut]
    metrics: list[MetricChoice]
    verdicts: list[str]
    states: list[str]


class Docket(Schema):
    """``count`` fit, of which ``rows`` is a page; ``left_out`` are decided longer ago. ``behind`` show what was there a moment
    ago: what came in since is being read. Others changed ``changed`` since ``looked_at``; ``as_of`` is when this was read."""

    headline: str
    rows: list[DocketRow]
    count: int
    left_out: int
    choices: Choices
    behind: int
    looked_at: datetime
    as_of: datetime
    changed: int


class DecideIn(Body):
    """``rollout`` is that of the variant chosen; without it, units that have the variant keep it and nobody else gets it."""

    model_config = shown(choice="B", reason="Clear, and no guardrail is behind")
    choice: str
    reason: str = ""
    next_step: str = ""
    rollout: RolloutIn | None = None
