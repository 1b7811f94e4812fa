"""Shapes of evidence and verdicts over HTTP. Shares and lifts are plain numbers; null stands for undefined or unbounded."""

from __future__ import annotations

from datetime import date, datetime
from typing import Literal

from pydantic import BaseModel as Schema  # its instances are taken as they are, not walked through again

Tone = Literal["ahead", "behind", "open"]


class IntervalOut(Schema):
    """``low_open``/``high_open`` distinguish a bound without limit from a missing one; the texts are as they are shown."""

    estimate: float | None
    low: float | None
    high: float | None
    low_open: bool = False
    high_open: bool = False
    estimate_text: str = ""
    low_text: str = ""
    high_text: str = ""


Kind = Literal["rate", "mean", "ratio"]  # of a level


class ArmOut(Schema):
    """``total`` is the number of conversions of a rate, the sum of a mean, the numerator of a ratio; ``rate`` its level."""

    letter: str
    name: str
    units: int
    total: float
    rate: IntervalOut
    planned_share: float
    seen_share: float | None


class ComparisonOut(Schema):
    """``superiority`` and ``expected_loss`` are there under a posterior rule."""

    letter: str
    lift: IntervalOut
    difference: IntervalOut
    statistic: float
    pvalue: float
    adjusted_pvalue: float
    exact_pvalue: float | None
    critical_value: float
    superiority: float | None = None
    expected_loss: float | None = None
    tone: Tone
    sentence: str
    effect_per_month: IntervalOut | None


class ConditionOut(Schema):
    key: str
    subject: Literal["minimum", "soundness", "effect"]
    label: str
    state: Literal["met", "not_met", "unknown"]
    seen: str
    required: str


class SplitOut(Schema):
    pvalue: float
    as_planned: bool


class OverlapOut(Schema):
    same_time: bool
    apart_share: float
    days_apart: list[date]
    drift_pvalue: float


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


class SecondaryArmOut(Schema):
    letter: str
    units: int
    level: IntervalOut


class SecondaryComparisonOut(Schema):
    """``adjusted_pvalue`` allows for the other metrics beside.

    ``kept`` tells a guardrail shown to be within its margin, ``lost`` a harm beyond what is allowed.
    """

    letter: str
    lift: IntervalOut
    pvalue: float
    tone: Tone
    kept: bool
    lost: bool
    sentence: str
    # Records of the first format may have none of these.
    difference: IntervalOut | None = None
    effect_per_month: IntervalOut | None = None
    statistic: float | None = None
    adjusted_pvalue: float | None = None
    critical_value: float | None = None


class SecondaryOut(Schema):
    key: str
    name: str
    role: Literal["secondary", "guardrail"]
    margin: float | None
    kind: Kind
    unit: str
    currency: str
    good_direction: Literal["up", "down"]
    arms: list[SecondaryArmOut]
    comparisons: list[SecondaryComparisonOut]


class RankedOut(Schema):
    """``chance`` to be the best of all; ``behind`` is the lift against the leader, ``separable`` that it leaves out zero."""

    letter: str
    chance: float
    behind: IntervalOut
    separable: bool


class ConflictOut(Schema):
    """A variant whose metrics pull apart, by their names."""

    letter: str
    ahead: list[str]
    behind: list[str]
    unproven: list[str]


class PooledOut(Schema):
    """A variant pooled over epochs: what somebody would see who forgets that shares changed."""

    letter: str
    level: float | None
    lift: IntervalOut


class AdaptiveOut(Schema):
    """Beside a reading by epoch: chances to be best (control first), the value ``remaining`` as a share of the leader's level,
    ``spared`` the units that saw the best variant beyond those of an even split, and ``gained`` conversions or sum beyond it.
    ``sentence`` puts the gain in words."""

    chances: list[float]
    remaining: float | None
    leader: str
    spared: IntervalOut
    gained: IntervalOut
    pooled: list[PooledOut]
    remarks: list[str]
    sentence: str
    explained: str


class ReadingOut(Schema):
    """``verdict`` is the name of one of the vocabulary's verdicts; ``readable`` says that lifts are for use."""

    verdict: str
    readable: bool
    variant: str | None
    suggested: str
    headline: str
    figure: str
    short: str
    detail: str
    warnings: list[str]
    confidence: float
    worthwhile_lift: float
    good_direction: Literal["up", "down"]
    metric: str
    unit_name: str
    arms: list[ArmOut]
    comparisons: list[ComparisonOut]
    conditions: list[ConditionOut]
    split: SplitOut
    overlap: OverlapOut | None
    progress: float | None
    days: int
    planned_days: int
    rule_in_words: str
    kind: Kind = "rate"
    method: str = ""
    credible: bool = False
    one_sided: bool = False
    unit: str = "percent"
    currency: str = ""
    secondary: list[SecondaryOut] = []
    read_on: date | None = None
    next_look: date | None = None
    ranking: list[RankedOut] = []
    would_change: list[str] = []
    conflicts: list[ConflictOut] = []
    adaptive: AdaptiveOut | None = None
    adjusted_by_days: int | None = None
    variance_removed: float | None = None


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
    arms: list[SpendArmOut]


class CappedOut(Schema):
    """Units of each variant, and how many of them reached the cap of a metric."""

    metric: str
    letters: list[str]
    units: list[int]
    reached: list[int]
    sentence: str


class EvidenceOut(Schema):
    reading: ReadingOut
    series: list[SeriesOut]
    daily: DailyOut
    arrivals: ArrivalsOut
    looks: LooksOut | None = None
    funnels: list[FunnelOut] = []
    spend: SpendOut | None = None
    capped: list[CappedOut] = []


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


class AsideIn(Schema):
    reason: str


class SegmentSetIn(Schema):
    name: str
    by: str
    values: list[str]


class SegmentSetOut(SegmentSetIn):
    id: int


class DocketRow(Schema):
    key: str
    name: str
    metric: str
    area: str
    owner: str
    mine: bool
    state: Literal["draft", "scheduled", "running", "paused", "ended", "decided", "archived"]
    group: Literal["ready", "collecting", "preparation", "decided", "archived"]
    verdict: str | None
    short: str
    lift: IntervalOut | None
    tone: Tone
    worthwhile_lift: float
    progress: float | None
    days: int
    planned_days: int


class Docket(Schema):
    headline: str
    rows: list[DocketRow]
    areas: list[str]


class DecideIn(Schema):
    choice: str
    reason: str = ""
    next_step: str = ""


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
    kind: Kind
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
