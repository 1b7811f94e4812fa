"""Shapes of the API for reductions."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any

from ninja import Field, Schema


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


class RunEndIn(Schema):
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
