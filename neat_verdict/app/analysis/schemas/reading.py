"""A reading: arms, comparisons, conditions, and what a design adds to them."""

from __future__ import annotations

from datetime import date
from typing import Literal

from pydantic import BaseModel as Schema  # its instances are taken as they are, not walked through again

from neat_verdict.app.analysis.schemas.adaptive import AdaptiveOut
from neat_verdict.app.analysis.schemas.factorial import FactorialOut
from neat_verdict.app.analysis.schemas.intervals import IntervalOut, Tone
from neat_verdict.app.experiments.schemas import ConditionOut
from neat_verdict.app.http.choices import LevelNoun
from neat_verdict.core.verdicts import MetricRole

ScaleName = Literal["lift", "difference"]


class ArmOut(Schema):
    """``total`` is the number of conversions of a rate, the sum of a mean, the numerator of a ratio; ``rate`` its level. One
    that was ``stopped`` got no new units at the end, and is compared up to then."""

    letter: str
    name: str
    units: int
    total: float
    rate: IntervalOut
    planned_share: float
    seen_share: float | None
    stopped: bool = False


class ComparisonOut(Schema):
    """``effect`` is what is judged and shown: the lift, or on the scale of differences the difference, placed as a part of the
    level planned with and written in the metric's unit. ``adjusted_text`` is the effect adjusted for when the run ended, "" where
    nothing is; ``effect_per_month`` has that estimate. Under a posterior rule there are ``superiority`` and ``expected_loss``;
    under the others ``chance`` is the plain probability to be better than control, by which they do not decide. ``margin_pvalue``
    is that of the margin, where the question is about one: adjusted as the other, by which such a rule decides.
    """

    letter: str
    effect: IntervalOut
    lift: IntervalOut
    difference: IntervalOut
    statistic: float
    pvalue: float
    adjusted_pvalue: float
    exact_pvalue: float | None
    margin_pvalue: float | None = None
    critical_value: float
    superiority: float | None = None
    expected_loss: float | None = None
    chance: float | None = None
    tone: Tone
    sentence: str
    effect_per_month: IntervalOut | None
    adjusted_text: str = ""


class SplitOut(Schema):
    pvalue: float
    as_planned: bool


class OverlapOut(Schema):
    same_time: bool
    apart_share: float
    days_apart: list[date]
    drift_pvalue: float


class SecondaryArmOut(Schema):
    letter: str
    units: int
    level: IntervalOut


class SecondaryComparisonOut(Schema):
    """``adjusted_pvalue`` allows for the other secondary metrics.

    ``kept`` tells a guardrail shown to be within its margin, ``lost`` a harm beyond what is allowed.
    """

    letter: str
    effect: IntervalOut
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
    role: MetricRole
    margin: float | None
    kind: LevelNoun
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


# What a design reports in addition to its comparisons: one shape for each that reports something.
DesignSummaryOut = AdaptiveOut | FactorialOut


class ReadingOut(Schema):
    """``verdict`` is the name of one of the vocabulary's verdicts; ``readable`` says that lifts are for use; ``scale`` is what
    effects are judged on, ``scale_unit`` what 1 of a difference placed on it is in the metric's unit, ``worthwhile_text`` the
    worthwhile effect on it; ``interval_confidence`` is that of both bounds together; ``summary`` is what the ``design`` reports
    in addition to its comparisons."""

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
    interval_confidence: float
    worthwhile_lift: float
    question: str
    size_meaning: str
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
    kind: LevelNoun = "rate"
    adds_up: bool = True  # whether the level times units is a total
    method: str = ""
    credible: bool = False
    one_sided: bool = False
    unit: str = "percent"
    currency: str = ""
    secondary: list[SecondaryOut] = []
    first_day: date | None = None
    last_day: date | None = None
    read_on: date | None = None
    next_look: date | None = None
    ranking: list[RankedOut] = []
    would_change: list[str] = []
    chance_meaning: str = ""
    conflicts: list[ConflictOut] = []
    design: str = "parallel"
    design_words: str = ""
    design_caveat: str = ""
    summary: DesignSummaryOut | None = None
    adjusted_by_days: int | None = None
    variance_removed: float | None = None  # by adjusting, or by strata
    stratified_by: str = ""
    scale: ScaleName = "lift"
    scale_unit: float = 1.0
    worthwhile_text: str = ""
