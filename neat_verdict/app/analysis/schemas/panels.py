"""Panels that are asked for by themselves."""

from __future__ import annotations

from datetime import date

from pydantic import BaseModel as Schema  # its instances are taken as they are, not walked through again

from neat_verdict.app.analysis.schemas.intervals import IntervalOut, Tone
from neat_verdict.app.http.bodies import Body, shown
from neat_verdict.app.http.choices import LevelNoun


class CohortOut(Schema):
    first: date
    last: date
    units: list[int]
    lift: IntervalOut | None
    tone: Tone


class CohortsOut(Schema):
    """A variant's lift by groups of days of first exposure; ``change`` from group to group on the log scale."""

    variant: str
    days_a_group: int
    cohorts: list[CohortOut]
    change: float | None
    pvalue: float | None
    sentence: str


class SelectedArmOut(Schema):
    letter: str
    units: int
    level: IntervalOut


class SelectedComparisonOut(Schema):
    letter: str
    lift: IntervalOut
    pvalue: float
    tone: Tone


class SelectedRangeOut(Schema):
    """Some days alone. Always exploratory: no verdict is read from days that were picked after the fact."""

    first: date
    last: date
    days: int
    arms: list[SelectedArmOut]
    comparisons: list[SelectedComparisonOut]
    sentence: str


class StepOut(Schema):
    name: str
    value: str


class DerivationOut(Schema):
    """How a figure is made, with every input, so that it can be done again by hand."""

    title: str
    words: str
    formula: str
    source: str
    inputs: list[StepOut]
    steps: list[StepOut]


class SegmentSetIn(Body):
    model_config = shown(name="Phones", by="device", values=["phone"])
    name: str
    by: str
    values: list[str]


class SegmentSetOut(SegmentSetIn):
    id: int


class SegmentOut(Schema):
    """``units`` and ``levels`` of control and the variant; ``lift`` is missing where there is too little to compare.

    ``share`` is the segment's part of the units; ``effect_per_month`` what a rollout to it alone would be worth a month.
    """

    name: str
    units: list[int]
    levels: list[float | None]
    lift: IntervalOut | None
    pvalue: float | None
    tone: Tone
    partially_pooled: IntervalOut | None
    small: bool
    share: float
    effect_per_month: IntervalOut | None


class SegmentsOut(Schema):
    """``adjusted_pvalue`` tests whether the lifts differ, for all properties that could be tried; ``within`` is the one lift over
    the segments, each compared within itself, ``crude`` that of their totals."""

    by: str
    choices: list[str]
    metric: str
    metric_name: str
    kind: LevelNoun
    unit: str
    currency: str
    variant: str
    sentence: str
    pvalue: float
    adjusted_pvalue: float
    i_squared: float
    reversal: bool
    segments: list[SegmentOut]
    within: IntervalOut | None
    crude: IntervalOut | None
    left_out: int
    effect_per_month_of_all: IntervalOut | None = None
    chosen: list[str] = []
    sets: list[SegmentSetOut] = []
