"""Shapes of the handover and the casebook over HTTP."""

from __future__ import annotations

from datetime import date, datetime

from ninja import Schema

from neat_verdict.app.analysis.schemas import IntervalOut, Tone
from neat_verdict.app.http.bodies import Body, shown
from neat_verdict.app.regions.schemas import BoundsOut
from neat_verdict.app.traffic.schemas import RolloutIn, RolloutLineIO, StepIO


class RolloutPlanIn(RolloutIn):
    """``without_test`` gives a draft, which is then not tested."""

    model_config = shown(steps=[{"day": "2026-03-17", "share": 0.5}, {"day": "2026-03-20", "share": 1.0}])
    without_test: bool = False


class PlaceOut(Schema):
    id: int
    text: str
    who: str
    done_at: datetime | None
    done_by: str


class PlaceIn(Body):
    model_config = shown(text="Remove the old calendar from the fares page")
    text: str
    who: str = ""


class TickIn(Body):
    done: bool


class LineResultOut(Schema):
    """A line of the list against those held out of it, "" for all lines, with an interval of its own ``confidence``, at any time;
    without a lift where there is too little."""

    name: str
    held_out: int
    reached: int
    held_out_text: str
    reached_text: str
    held_out_level: float | None
    reached_level: float | None
    confidence: float
    lift: IntervalOut | None
    tone: Tone


class MetricResultOut(Schema):
    metric: str
    key: str
    role: str
    lines: list[LineResultOut]


class RolloutResultOut(Schema):
    """What a rollout has brought since a moment. Intervals hold at any time; ``sound`` is false where the share held out
    contradicts the plan, and then no lift is given."""

    since: datetime
    confidence: float
    sound: bool
    sentence: str
    metrics: list[MetricResultOut]


class RolloutOut(Schema):
    """``share_today`` of those admitted are reached; ``sentence`` is the plan. ``result`` is null where nobody is held out."""

    letter: str
    steps: list[StepIO]
    lines: list[RolloutLineIO]
    holdout: float
    until: date | None
    share_today: float
    stopped_at: datetime | None
    released_at: datetime | None
    result: RolloutResultOut | None
    served_here: bool
    sentence: str


class LessonIO(Body):
    model_config = shown(learnt="A price at once helps whoever has no date yet.")
    learnt: str = ""
    why: str = ""


class HandoverOut(Schema):
    rollout: RolloutOut | None
    places: list[PlaceOut]
    lesson: LessonIO


class CaseOut(Schema):
    """A decided experiment. ``partially_pooled`` is its lift adjusted for selection among all cases,
    ``adjusted_text`` for when its own run ended."""

    key: str
    name: str
    area: str
    metric: str
    verdict: str
    verdict_name: str
    short: str
    decision: str
    decided_at: datetime
    good_direction: str
    worthwhile_lift: float
    lift: IntervalOut | None
    adjusted_text: str = ""
    partially_pooled: IntervalOut | None
    tone: Tone
    learnt: str
    forecasts: int
    forecasts_held: int
    places_open: int


class RecordOut(Schema):
    """Of all decided experiments, whatever is searched for; sentences made in the application, figures in the core."""

    decided: int
    sound: int
    won: int
    lost: int
    flat: int
    win_rate: IntervalOut
    winners_seen: float | None
    winners_adjusted: float | None
    forecasts: int
    forecasts_held: int
    forecast_bias: float | None
    sentences: list[str]


class CasebookOut(Schema):
    record: RecordOut
    cases: list[CaseOut]
    areas: list[str]
    count: int


class SeenLevelOut(Schema):
    """Of one experiment; ``traffic_text`` is what came a day of what was planned, ``planned_text`` the level of the plan."""

    key: str
    name: str
    level: float
    level_text: str
    units: int
    planned_text: str
    traffic_text: str


class LevelGroupOut(Schema):
    """What control showed by metric and ``group``; the texts are the ends, the quartiles and the middle."""

    metric: str
    group: str
    tests: int
    least_text: str
    lower_text: str
    median_text: str
    upper_text: str
    most_text: str
    levels: list[SeenLevelOut]


class LevelsOut(Schema):
    by: str
    choices: list[str]
    groups: list[LevelGroupOut]


class RegionCaseOut(Schema):
    """A decided test by region: what each unit of spend brought, of a graded one in a ``step`` of it ("from 50% up to the
    usual"), and what it must bring to pay."""

    key: str
    name: str
    decided_at: datetime
    verdict: str
    outcome: str
    currency: str
    incremental: BoundsOut | None
    break_even: float
    decision: str
    step: str


class ChannelOut(Schema):
    """What was tested, with its tests from the first on."""

    tested: str
    cases: list[RegionCaseOut]


class RegionCasesOut(Schema):
    channels: list[ChannelOut]
