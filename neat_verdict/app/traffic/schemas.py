"""Shapes of assignments, audiences and keys over HTTP."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any, Literal

from ninja import Schema
from pydantic import Field

from neat_verdict.app.experiments.schemas import ConditionGroupIO, VariantIn
from neat_verdict.app.http.bodies import Body, shown
from neat_verdict.app.people.keys import PER_MINUTE
from neat_verdict.app.people.models import usual_scopes
from neat_verdict.app.people.origins import MAX_ORIGINS
from neat_verdict.core.traffic import Reason


class AssignIn(Body):
    """``experiments`` are keys; all that run where it is left out. ``properties`` is what is known of the unit."""

    model_config = shown(unit="u-20417", properties={"country": "PT"}, experiments=["fare-calendar"])
    unit: str
    properties: dict[str, Any] = Field(default_factory=dict)
    experiments: list[str] | None = None


class AnswerOut(Schema):
    """``reason`` says why; all but assigned do not count."""

    variant: str
    parameters: dict[str, Any]
    reason: Reason
    because: str
    problem: str | None


class AssignOut(Schema):
    assignments: dict[str, AnswerOut]
    problem: str | None = None


class CheckIn(Body):
    """A visitor as one might come: would they take part?"""

    unit: str = Field(min_length=1, max_length=200)
    properties: dict[str, Any] = Field(default_factory=dict)


class CheckOut(AnswerOut):
    name: str
    takes_part: bool


_IBERIA = [{"kind": "all", "conditions": [{"attribute": "country", "values": ["PT", "ES"]}]}]


class RulesIn(Body):
    model_config = shown(groups=_IBERIA)
    groups: list[ConditionGroupIO] = Field(max_length=20)


class AudienceIn(RulesIn):
    model_config = shown(name="Iberia", groups=_IBERIA)
    name: str = Field(max_length=80)
    description: str = Field(default="", max_length=300)


class EstimatedUnits(Schema):
    """A number of units with 95 % bounds; they are the number itself where every unit was kept."""

    estimate: float
    low: float
    high: float


class AudienceSizeOut(Schema):
    """How many of the units of the last month rules would have let in, ``share`` of all; without numbers where nobody came.
    ``never_sent`` are the properties in the rules that no unit came with."""

    units: EstimatedUnits | None
    admitted: EstimatedUnits | None
    share: float | None
    never_sent: list[str]
    sentence: str


class AudienceOut(AudienceIn):
    id: int
    words: str
    made_by: str
    size: AudienceSizeOut


class ReadyAudienceOut(RulesIn):
    """Rules to take and edit. ``to_fill_in`` says that values are still to be given, so that there is no size of them."""

    name: str
    description: str
    words: str
    to_fill_in: bool
    size: AudienceSizeOut | None


class KeyIn(Body):
    """``scopes`` are what it may do; without an end it is valid until it is withdrawn.
    ``events_per_day``: 0 takes as many as come."""

    model_config = shown(name="Booking service", scopes=["assign", "collect"])
    name: str = Field(max_length=80)
    scopes: list[str] = Field(default_factory=usual_scopes, max_length=10)
    expires_at: datetime | None = None
    per_minute: int = PER_MINUTE["server"]
    events_per_day: int = 0


class SiteKeyIn(Body):
    """``origins`` are those of the pages that may use it; ``per_minute`` requests at most."""

    name: str = Field(max_length=80)
    origins: list[str] = Field(max_length=MAX_ORIGINS)
    per_minute: int = PER_MINUTE["site"]
    events_per_day: int = 0
    expires_at: datetime | None = None


class KeyOut(Schema):
    """``start`` is how the secret begins; of a server's the rest is not kept, of a site's ``public`` is the whole. ``used_at`` is
    right to some seconds; ``refused`` counts requests that came too fast."""

    id: int
    name: str
    kind: Literal["server", "site"]
    start: str
    public: str
    scopes: list[str]
    origins: list[str]
    per_minute: int
    events_per_day: int
    made_by: str
    made_at: datetime
    expires_at: datetime | None
    withdrawn_at: datetime | None
    used_at: datetime | None
    refused: int


class NewKeyOut(KeyOut):
    """The only answer that carries the secret."""

    secret: str


class SnippetOut(Schema):
    """Code in a language; ``title`` names it for people."""

    name: str
    title: str
    code: str


class GroupUse(Schema):
    """An experiment of an exclusion group, and the share of the group's units that is kept for it."""

    key: str
    name: str
    state: str
    share: float


class ExclusionOut(Schema):
    name: str
    free: float
    members: list[GroupUse]


Origin = Literal["start", "policy", "hand", "frozen", "even"]


class EpochOut(Schema):
    """An epoch: its shares by segment ("" for everybody), who set them and why; ``chances`` to be best as they were known when it
    began, ``wanted`` what the policy asked for then, ``units`` first exposed in it by variant, ``sentence`` why for everybody and
    ``sentences`` why by segment."""

    number: int
    started_at: datetime
    ended_at: datetime | None
    origin: Origin
    shares: dict[str, list[float]]
    chances: dict[str, list[float]]
    wanted: dict[str, list[float]]
    reasons: dict[str, Literal["even_start", "followed", "slowed"]]
    reason: str
    set_by: str
    units: list[int]
    sentence: str
    sentences: dict[str, str]


class AllocationOut(Schema):
    """How traffic follows the evidence: who sets the shares, by which metric, when the epoch ends; the latest epochs in order."""

    mode: Literal["follow", "frozen", "even"]
    metric: str
    window_hours: int
    letters: list[str]
    next_close: datetime | None
    epochs: list[EpochOut]
    left_out: int
    sentence: str


class StretchOut(Schema):
    """Days of one split: ``shares`` control first, 0 of a variant that is stopped and of those ``awaited``, by letter, that join
    later; ``units`` that came in it."""

    number: int
    first: date
    last: date | None
    shares: list[float]
    awaited: list[str]
    units: list[int]


class SplitChangeOut(Schema):
    """A change of the split, the stop of a variant (``stopped``, its letter), or one that ``joined``; ``stays`` says why it
    cannot be withdrawn; "" where it can."""

    number: int
    from_day: date
    sentence: str
    stopped: str
    joined: str
    reason: str
    by: str
    at: datetime
    stays: str


class StretchesOut(Schema):
    """The stretches of a round and what changed between them; ``refused``, ``stop_refused`` and ``join_refused`` say why nothing
    can be changed, no variant stopped, or none join; "" where it can. ``letters`` are those that can be stopped."""

    stretches: list[StretchOut]
    changes: list[SplitChangeOut]
    earliest_day: date
    refused: str
    stop_refused: str
    join_refused: str
    letters: list[str]


class SplitIn(Body):
    """``weights`` with control first, above 0; from the beginning of ``from_day`` on."""

    model_config = shown(from_day="2026-03-09", reason="A sale is on", weights=[3, 1])
    weights: list[float] = Field(max_length=10)
    from_day: date
    reason: str = Field(max_length=300)


class JoinIn(SplitIn):
    """``weights`` are of all variants, the new one's last; ``variant`` is what it shows."""

    model_config = shown(
        from_day="2026-03-09", reason="A third layout", variant={"name": "Cheapest first"}, weights=[1, 1, 1]
    )
    variant: VariantIn


class StopIn(Body):
    """``afterwards`` is what units of the variant get from now on, "" where others share out; ``on_day`` the day on which it was
    stopped, today where it is left out."""

    variant: str = Field(max_length=1)
    afterwards: Literal["keep", "control", ""] = ""
    on_day: date | None = None
    reason: str = Field(max_length=300)


class ReallocateIn(Body):
    reason: str = Field(max_length=300)


class SharesByHandIn(ReallocateIn):
    """``shares`` with control first; they add up to 1."""

    model_config = shown(reason="A sale is on", shares=[0.5, 0.5])
    shares: list[float] = Field(max_length=10)


class EpochRecordOut(Schema):
    """All that an epoch's shares were worked out from, and what the same working gives now."""

    number: int
    record: dict[str, Any]
    worked_out_again: dict[str, list[float]]
    same: bool


class StepIO(Body):
    day: date
    share: float


class RolloutLineIO(Schema):
    """Who gets the variant of a letter: all that the rules admit, everybody without rules."""

    model_config = {"extra": "forbid"}
    name: str = Field(max_length=80)
    letter: str = Field(max_length=1)
    rules: list[ConditionGroupIO] = []


class RolloutIn(Body):
    """``lines`` in order, the first that admits a unit decides; without any, everybody gets the variant that was decided for.
    A share ``holdout`` of those reached keeps control, to measure what the rollout brings."""

    model_config = {"extra": "forbid"}
    steps: list[StepIO]
    lines: list[RolloutLineIO] = []
    holdout: float = 0.0
    until: date | None = None
