"""Shapes of the API for reductions."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any, Literal

from ninja import Field, Schema

from neat_verdict.app.http.bodies import Body, shown

MIN_KEPT, MAX_KEPT = 30, 3650  # days


class ReducibleOut(Schema):
    """An experiment whose counts may come from where the data live. ``until`` is up to when data were looked at last."""

    key: str
    name: str
    until: datetime | None
    days: int
    units: int


class KnownDayOut(Schema):
    """A day that came from there: by which plan, and the digest of its cells."""

    day: date
    plan: str
    digest: str


class ReductionPlanOut(Schema):
    """What is to be counted, with its digest; the days that are there; and up to when (milliseconds since 1970) the last run that
    came to its end looked at data by the same plan."""

    plan: dict[str, Any]
    digest: str
    days: list[KnownDayOut]
    since: int | None


class DayTakenOut(Schema):
    """``changed`` is whether anything is another now."""

    day: date
    changed: bool
    units: int


class RunEndIn(Body):
    """A run that has sent all its days: the plan's digest, the engine, up to when it looked at data, its days, how many of them
    changed, how long it took."""

    plan: str = Field(max_length=32)
    engine: str = Field(min_length=1, max_length=40)
    until: int = Field(ge=0, lt=10**15)
    days: list[date] = Field(max_length=5000)
    changed: int = Field(ge=0, le=5000)
    seconds: float = Field(ge=0)


class RunOut(Schema):
    """A run that came to its end, with the units that are there then."""

    engine: str
    until: datetime
    days: int
    changed: int
    units: int
    seconds: float
    at: datetime


LakeEvery = Literal["never", "hour", "day"]


class LakeScheduleIn(Body):
    """How often a lake is counted by itself; each ``day`` from ``hour`` on, by the workspace's clock."""

    every: LakeEvery
    hour: int = Field(4, ge=0, le=23)


class LakeScheduleOut(LakeScheduleIn):
    """The same, and who set it, in whose name it is counted; empty where nobody has."""

    by: str


class LakeCountedOut(Schema):
    """What a run came to for an experiment; ``days`` 0 where the lake does not have it, ``problem`` where it came to no end."""

    experiment: str
    days: int
    units: int
    changed: int
    seconds: float
    problem: str


class LakeRunOut(Schema):
    """A run of the application's over a lake; ``rows`` are those that the lake had."""

    id: int
    by: str
    planned: bool
    state: Literal["running", "done", "failed"]
    started_at: datetime
    ended_at: datetime | None
    doing: str
    rows: int | None
    counted: list[LakeCountedOut]
    problem: str


class LakeOut(Schema):
    """A lake that the application counts: its engine, where its tables are, why its file cannot be read if it cannot, and the
    last runs, the last first."""

    name: str
    engine: str
    places: list[str]
    problem: str
    schedule: LakeScheduleOut
    runs: list[LakeRunOut]


class RetentionIn(Body):
    """For how many days events stay in the database, and anything by the ids of units at all; null as long as there is room."""

    model_config = shown(days_of_events=400, days_of_ids=400)
    days_of_events: int | None = Field(None, ge=MIN_KEPT, le=MAX_KEPT)
    days_of_ids: int | None = Field(None, ge=MIN_KEPT, le=MAX_KEPT)


class RetentionOut(RetentionIn):
    """The same with who chose it, and what there is: the database in bytes, of them ``free`` to be filled again, events in it
    and put away (with their bytes, and the first and last day), the open experiment that keeps more events than was asked for,
    and when it was last seen to."""

    by: str
    database: int
    free: int
    events: int
    put_away: int
    put_away_bytes: int
    put_away_days: list[date]
    held_back_by: str
    tended_at: datetime | None


class LakesOut(Schema):
    """The lakes, and the folder on the server in which each has its file."""

    folder: str
    lakes: list[LakeOut]
