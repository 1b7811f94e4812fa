"""Shapes of imports over HTTP."""

from __future__ import annotations

from datetime import date, datetime
from typing import Literal

from ninja import Schema


class SeenPropertyOut(Schema):
    name: str
    values: list[str]


class SeenEventOut(Schema):
    """An event that came in, with properties among the latest events and their most frequent values."""

    name: str
    times: int
    properties: list[SeenPropertyOut]


class WrongRowOut(Schema):
    line: int
    column: str
    value: str
    reason: str


class DifferenceOut(Schema):
    added: int
    changed: int
    unchanged: int


class PreviewOut(Schema):
    digest: str
    decimal_mark: Literal[".", ","] | None
    decimal_open: bool
    encoding: str
    delimiter: str
    header: list[str]
    metric: str
    kind: str
    fields: list[str]
    columns: dict[str, int | None]
    rows: int
    folded: int
    wrong: list[WrongRowOut]
    wrong_count: int
    first_day: date | None
    last_day: date | None
    totals: list[list[float]]
    difference: DifferenceOut | None
    seen_before: bool
    remarks: list[str]


class PreviewStep(Schema):
    """One line of the answer: rows read so far, or the preview, which is the last line."""

    rows: int | None = None
    preview: PreviewOut | None = None


class ImportOut(Schema):
    at: datetime
    by: str
    name: str
    metric: str
    rows: int
    left_out: int
    added: int
    changed: int


class ImportsOut(Schema):
    items: list[ImportOut]
    count: int


class WrongUnitOut(Schema):
    unit: str
    variant: str
    day: str
    reason: str


class ReplacedOut(Schema):
    """What a file changes of a metric and variant: days that were there with other figures, and on these ``units`` and ``total``
    before and after."""

    metric: str
    letter: str
    days: int
    units: list[int]
    total: list[float]


class UnitsOut(Schema):
    """What a file of units comes to: totals by metric and variant, for everybody who counts. ``repeated_units`` are some of those
    with more than one row; ``replaces`` what it would change of what is there."""

    digest: str
    decimal_mark: str | None
    decimal_open: bool
    rows: int
    never_counted: int
    wrong_count: int
    wrong: list[WrongUnitOut]
    repeated: int
    repeated_units: list[str]
    # Which units another file brought already, in words; "" where none.
    seen_already: str
    replaces: list[ReplacedOut]
    first_day: date | None
    last_day: date | None
    metrics: list[str]
    ignored: list[str]
    units: list[int]
    totals: list[list[float]]
    segments: int
    stored: bool


class BadLineOut(Schema):
    line: int
    field: str
    reason: str


class EventFileOut(Schema):
    """``line`` is counted from 1; with bad lines nothing was stored."""

    lines: int
    bad_count: int
    bad: list[BadLineOut]
    accepted: int
    duplicates: int
    late: int
    held: int
    unexposed: int
    unknown: dict[str, int]
    too_old: int


class TotalsFileOut(Schema):
    """What a file of totals by day and variant comes to: ``totals`` of each by variant, ``changed`` days and variants whose
    figures it replaces by others. With wrong rows it cannot be stored."""

    digest: str
    decimal_mark: str | None
    decimal_open: bool
    rows: int
    days: int
    first_day: date | None
    last_day: date | None
    totals: dict[str, list[float]]
    changed: int
    ignored: list[str]
    wrong_count: int
    wrong: list[WrongRowOut]
    stored: bool


class SpendFileOut(TotalsFileOut):
    """Of cost and impressions."""

    currency: str
    remarks: list[str]


class SecondCountFileOut(TotalsFileOut):
    """Of what another system, the ``source``, counted."""

    source: str
