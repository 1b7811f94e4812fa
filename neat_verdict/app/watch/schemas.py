"""Shapes of the Watch sheet, readiness, notices and change notes over HTTP."""

from __future__ import annotations

from datetime import date, datetime
from typing import Literal

from ninja import Schema
from pydantic import Field

from neat_verdict.app.http.bodies import Body, shown
from neat_verdict.core.traffic import IdentityRule


class PointOut(Schema):
    label: str
    met: bool
    seen: str
    fix: str
    sheet: str
    needed: bool


class AddedMetricIn(Body):
    """The name or key of a metric of the library."""

    name: str = Field(max_length=80)


class ReadinessOut(Schema):
    points: list[PointOut]
    ready: bool


class LatestEventOut(Schema):
    """An exposure or an event, the latest first; ``letter`` is the unit's variant, empty while it is in none.
    ``counted`` is false for an id that is never counted."""

    at: datetime
    received: datetime
    unit: str
    name: str
    letter: str
    counted: bool
    forced: bool
    held: bool
    properties: str


class StratumOut(Schema):
    name: str
    units: list[int]
    pvalue: float
    alarm: bool


class IssueOut(Schema):
    kind: str
    sentence: str
    advice: str
    tone: Literal["unsound", "warning"]


class HourOut(Schema):
    at: datetime
    units: list[int]


class EventNameOut(Schema):
    """An event that the experiment's metrics count."""

    name: str
    times: int
    last_at: datetime | None
    metrics: list[str]


class LastDayOut(Schema):
    """What the workspace took in within 24 hours."""

    events: int
    duplicates: int
    late: int
    held: int
    unexposed: int
    unknown: list[str]


class WhoCountsOut(Schema):
    """How many units are people with ``several`` ids, how many of these saw two variants (``across``), and how many exposed ids
    are no units: they are never counted, or count with another of the same person."""

    identity: IdentityRule
    several: int
    across: int
    never_counted: int
    with_another: int
    never_counted_in_words: str


class PassageOut(Schema):
    """Who was sent to the page of a variant, and who arrived; of control, who came and saw it drawn."""

    letter: str
    address: str
    assigned: int
    reached: int


class FailedChangeOut(Schema):
    """A change of the page in words, the units of its variant, and those for whom it could not be made."""

    letter: str
    words: str
    units: int
    failed: int


class DayDifferenceOut(Schema):
    """Units of a day that changed, before and now; alike where only what they did changed."""

    day: date
    before: int
    now: int


class LookedAtOut(Schema):
    """The last run that counted the data where they live: up to when it looked at them, by whose hand (``counted_from``), how
    many days had changed, and which these were; and the days and units that are there."""

    until: datetime
    at: datetime
    engine: str
    counted_from: str
    days: int
    changed: int
    units: int
    seconds: float
    differences: list[DayDifferenceOut]


class LiveOut(Schema):
    counts_events: bool
    letters: list[str]
    units: list[int]
    latest: list[LatestEventOut]
    hours: list[HourOut]
    days: list[StratumOut]
    segments: list[StratumOut]
    events: list[EventNameOut]
    last_day: LastDayOut
    mixed: int
    who: WhoCountsOut
    issues: list[IssueOut]
    passages: list[PassageOut]
    page_changes: list[FailedChangeOut]
    looked_at: LookedAtOut | None


class NoticeOut(Schema):
    id: int
    at: datetime
    experiment: str
    name: str
    tone: str
    sentence: str
    advice: str
    sheet: str
    read: bool
    mailed: bool


class NoticesOut(Schema):
    unread: int
    items: list[NoticeOut]
    count: int


class NoteIn(Body):
    """``everywhere`` shows it in every experiment of those days."""

    model_config = shown(day="2026-03-05", text="Newsletter sent")
    day: date
    text: str = Field(max_length=200)
    everywhere: bool = False


class NoteOut(Schema):
    """``id`` is null for a change that the ledger knows of; it cannot be removed."""

    id: int | None
    day: date
    text: str
    everywhere: bool
    by: str


class SegmentsIO(Body):
    """Properties at first exposure that tallies are kept by; a line of two crosses them."""

    model_config = shown(segments=[["device"], ["country"]])
    segments: list[list[str]] = Field(max_length=12)


class CheckedOut(Schema):
    """Something that must be so where requests are sent; ``detail`` says how it is."""

    name: str
    ok: bool
    detail: str


class InstallationOut(Schema):
    """``scheduler_did``: how much of what it did when it ran last."""

    checks: list[CheckedOut]
    scheduler_at: datetime | None
    scheduler_did: dict[str, int]
