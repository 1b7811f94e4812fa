"""The evidence of an experiment, with the panels that come along with it."""

from __future__ import annotations

from datetime import date, datetime
from typing import Literal

from pydantic import BaseModel as Schema  # its instances are taken as they are, not walked through again

from neat_verdict.app.analysis.schemas.intervals import IntervalOut, Tone
from neat_verdict.app.analysis.schemas.reading import ReadingOut, SplitOut
from neat_verdict.core.soundness import Quantity


class SeriesOut(Schema):
    letter: str
    estimate: list[float | None]
    low: list[float | None]
    high: list[float | None]


class DailyOut(Schema):
    """``sums`` has a table for each of ``fields``: rows of days, columns of variants; ``levels`` the daily rates or means."""

    days: list[date]
    fields: list[str]
    sums: list[list[list[float]]]
    levels: list[list[float | None]]


class ArrivedOut(Schema):
    letter: str
    units: int
    seen_share: float | None
    planned_share: float


class ArrivalsOut(Schema):
    """Units by day and variant and the split, of all there are: the Watch sheet does not wait for looks."""

    days: list[date]
    units: list[list[int]]
    arms: list[ArrivedOut]
    split: SplitOut


class TakenLookOut(Schema):
    """A look: ``statistic`` of the best variant (positive is good) against ``critical_value``; ``power_*`` the chance that the
    last look crosses, if it goes on as seen or if the lift is the worthwhile one. ``stored`` once it was taken; ``due``
    when it can be."""

    number: int
    day: date
    information: float
    critical_value: float | None
    letter: str | None
    statistic: float | None
    lift: IntervalOut | None
    power_as_seen: float | None
    power_if_worthwhile: float | None
    verdict: str
    short: str
    stored: bool
    closed: bool  # of an earlier round, which stays as it was
    due: bool
    taken_at: datetime | None
    taken_by: str


class SetAsideOut(Schema):
    number: int
    day: date
    short: str
    at: datetime
    by: str
    because: str


class PlannedLookOut(Schema):
    day: date
    information: float
    critical_value: float


class LooksOut(Schema):
    """The looks of a rule that has them: taken, still planned (with the boundary as it would be), and set aside."""

    taken: list[TakenLookOut]
    planned: list[PlannedLookOut]
    set_aside: list[SetAsideOut]


class FunnelStepOut(Schema):
    """A step of a funnel: who reached it, and of those at the step before how many (``kept``), with the lift of that."""

    name: str
    reached: list[int]
    kept: list[float | None]
    lift: IntervalOut | None
    tone: Tone


class FunnelOut(Schema):
    metric: str
    metric_name: str
    letter: str
    steps: list[FunnelStepOut]
    sentence: str


class SpendArmOut(Schema):
    letter: str
    cost: float
    impressions: float
    cost_each: IntervalOut
    per_thousand: IntervalOut
    cost_lift: IntervalOut | None
    impressions_lift: IntervalOut | None


class SpendOut(Schema):
    """Cost of one conversion (or of one unit of what the metric sums), and what a thousand impressions bring, by variant."""

    metric: str
    currency: str
    arms: list[SpendArmOut]


class ByDaysOut(Schema):
    """A metric of which only totals by day are known: ``wider`` is the part by which its interval is wider than with a variance
    that were known, ``correlations`` those of each variant's neighbouring days against control (none where there is none)."""

    metric: str
    metric_name: str
    days: int
    wider: float
    correlations: list[float | None]
    sentence: str
    warnings: list[str]


class SecondQuantityOut(Schema):
    """A quantity in both counts, by variant, and by day and variant; ``apart`` are the letters of the variants whose difference
    is another than control's, ``a_week`` is by how much the second count moves against the first in a week."""

    quantity: Quantity
    first: list[float]
    second: list[float]
    differences: list[float | None]
    beyond: list[bool]
    apart: list[str]
    drifts: bool
    a_week: float | None
    drift_pvalue: float | None
    first_by_day: list[list[float]]
    second_by_day: list[list[float]]


class SecondCountOut(Schema):
    """What another system counted next to our own count, on the days that both have. ``same_verdict`` is None where it is not
    known; ``causes`` are what may be behind a disagreement."""

    source: str
    days: list[date]
    tolerance: float
    letters: list[str]
    quantities: list[SecondQuantityOut]
    causes: list[str]
    same_verdict: bool | None
    sentence: str


class CappedOut(Schema):
    """Units of each variant, and how many of them reached the cap of a metric."""

    metric: str
    letters: list[str]
    units: list[int]
    reached: list[int]
    sentence: str


class RoundOfOut(Schema):
    """A variant in one round, its lift with an interval of its own, on which no verdict rests; ``key`` opens a closed round, ""
    of the one that is shown."""

    key: str
    number: int
    first: date | None
    last: date | None
    units: list[int]
    lift: IntervalOut | None


class TogetherOut(Schema):
    """A variant over all rounds. ``homogeneity_pvalue`` asks whether the rounds have one lift in common."""

    metric: str
    metric_name: str
    letter: str
    rounds: list[RoundOfOut]
    lift: IntervalOut | None
    tone: Tone
    homogeneity_pvalue: float | None
    sentence: str


class RoundsOut(Schema):
    """The rounds of an experiment side by side and together. ``standing`` says what the figures together are worth: those of
    one plan, of a round after a plan that was not finished, or found afterwards. ``refused`` says why they are not read together,
    "" where they are."""

    standing: Literal["planned", "continued", "exploratory"]
    planned: int
    sentence: str
    refused: str
    together: list[TogetherOut]


class EvidenceOut(Schema):
    """In words: ``partial_day`` what came on a day that is not over, ``data_until`` up to when data are in the figures; empty
    where there is none."""

    reading: ReadingOut
    series: list[SeriesOut]
    daily: DailyOut
    arrivals: ArrivalsOut
    looks: LooksOut | None = None
    funnels: list[FunnelOut] = []
    spend: SpendOut | None = None
    by_days: list[ByDaysOut] = []
    second_counts: list[SecondCountOut] = []
    capped: list[CappedOut] = []
    rounds: RoundsOut | None = None
    partial_day: str = ""
    data_until: str = ""
