"""Shapes of a test by region over HTTP."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Any, Literal

from ninja import Field, Schema

from neat_verdict.app.experiments.schemas import ConditionOut, without_defaults
from neat_verdict.app.http.bodies import Body, shown

Name = Annotated[str, Field(min_length=1, max_length=120)]
TwoNames = Annotated[list[Name], Field(min_length=2, max_length=2)]
SEED = 2**31


class NewRegionTest(Body):
    name: str = Field(max_length=120)


class RegionPlanChanges(Schema):
    """Only the fields that are given change. ``outcome`` is a column of the past data; ``groups`` [] are all product groups;
    ``break_even`` is the outcome per unit of spend from which the spending pays; ``listed`` are pairs in place of matched ones;
    ``pairs`` and ``weeks`` choose one of the designs. ``lower`` and ``higher`` are the levels of a graded test, as shares of the
    usual spend; null, both of them, where spending is withheld. ``leak_limit`` is the share of the change of spend that may fail
    to come about, ``same_within`` the share of break-even within which there is no difference worth while."""

    model_config = {"extra": "forbid", "json_schema_extra": without_defaults}
    tested: str = Field("", max_length=120)
    outcome: str = Field("", max_length=60)
    groups: list[str] = Field(default_factory=list, max_length=200)
    currency: str = Field("EUR", pattern="^[A-Z]{3}$")
    break_even: float | None = Field(None, gt=0, le=1e9)
    cool_down: int = Field(1, ge=0, le=8)
    confidence: float = Field(0.95, ge=0.5, le=0.999)
    power: float = Field(0.8, ge=0.5, le=0.99)
    excluded: list[Name] = Field(default_factory=list, max_length=2000)
    must: list[Name] = Field(default_factory=list, max_length=2000)
    listed: list[TwoNames] = Field(default_factory=list, max_length=1000)
    pairs: int | None = Field(None, ge=1, le=1000)
    weeks: int | None = Field(None, ge=1, le=52)
    lower: float | None = None
    higher: float | None = None
    leak_limit: float = Field(0.1, ge=0.001, le=0.5)
    same_within: float = Field(0.0, ge=0, le=0.9)
    less_is_better: list[str] = Field(default_factory=list, max_length=6)

    def given(self) -> dict[str, Any]:
        """The fields that were sent, each whole."""
        return {field: value for field, value in self.model_dump().items() if field in self.model_fields_set}


class RegionPlanEdit(Body):
    model_config = shown(version=3, changes={"power": 0.8})
    version: int
    changes: RegionPlanChanges


class RegionFindingOut(Schema):
    """What is odd about a region: gap (no row), nothing (0 on every day), outlier or shift of an outcome, ``size`` relative."""

    kind: Literal["gap", "nothing", "outlier", "shift"]
    region: str
    day: date
    days: int
    outcome: str
    size: float


class RegionPastOut(Schema):
    file: str
    rows: int
    regions: int
    first: date
    last: date
    days: int
    outcomes: list[str]
    groups: list[str]
    left_out: list[str]
    ignored: list[str]
    missing_is_zero: bool
    counts: dict[str, int]
    findings: list[RegionFindingOut]


class BalanceOut(Schema):
    feature: str
    any_two: float
    paired: float


class RegionPairOut(Schema):
    first: str
    second: str
    distance: float


class RegionDesignOut(Schema):
    """``outcome_share`` and ``spend_share`` are withheld of all, ``spend`` in all; ``smallest_lift`` what it could show."""

    pairs: int
    weeks: int
    base_days: int
    outcome_share: float
    spend_share: float
    spend: float
    fit: float
    smallest_lift: float
    smallest_return: float | None
    cost: float


ArmName = Literal["withheld", "lower", "higher"]
GroupName = Literal["withheld", "lower", "higher", "control", "other"]


class DrawnPairOut(Schema):
    arm: ArmName
    treated: str
    control: str


class CellsOut(Schema):
    seed: int
    at: datetime
    pairs: list[DrawnPairOut]
    not_analysed: list[str]


class RegionPlanOut(Schema):
    """``problem`` says why there are no designs; ``regions`` are the names of those that can be in a pair."""

    version: int
    tested: str
    outcome: str
    groups: list[str]
    currency: str
    break_even: float | None
    cool_down: int
    confidence: float
    power: float
    excluded: list[str]
    must: list[str]
    listed: list[list[str]]
    pairs: int | None
    weeks: int | None
    lower: float | None
    higher: float | None
    leak_limit: float
    same_within: float
    less_is_better: list[str]
    locked_at: datetime | None
    missing_for_start: list[str]
    has_desk: bool
    desk_reference: str
    handed_over_at: datetime | None
    past: RegionPastOut | None
    regions: list[str]
    matched: list[RegionPairOut]
    without_partner: list[str]
    balance: list[BalanceOut]
    designs: list[RegionDesignOut]
    problem: str
    least_pvalue: float | None
    cells: CellsOut | None


class PlaceboIn(Body):
    model_config = shown(draws=100)
    draws: int = Field(20, ge=1, le=100)


class PlaceboFoundOut(Schema):
    """How often a ``lift`` was shown, with the Monte Carlo error; of no lift false alarms."""

    lift: float
    share: float
    error: float


class PlaceboHeldOut(Schema):
    share: float
    error: float


class PlaceboOut(Schema):
    id: int
    state: Literal["running", "done", "cancelled", "failed"]
    progress: float
    at: datetime
    by: str
    problem: str
    stale: bool
    draws: int
    windows: int
    found: list[PlaceboFoundOut]
    held: PlaceboHeldOut | None
    smallest: float | None
    power: float


class LatestPlacebo(Schema):
    placebo: PlaceboOut | None


class DrawIn(Body):
    """``seed`` draws what it drew elsewhere; left out, one is made."""

    model_config = shown(seed=7)
    seed: int | None = Field(None, ge=0, lt=SEED)


class UndoDrawIn(Body):
    reason: str = Field(max_length=500)


class SpendingEdit(Body):
    """An amount that somebody sets, in cents."""

    day: date
    group: GroupName
    cents: int = Field(ge=0, le=10**12)


class SpendingCalendarIn(Body):
    """``budget`` of all days in cents, left out for what is usual; ``again`` is where what is saved is spent again; ``reason`` is
    wanted for a difference from the budget beyond what is tolerated."""

    version: int
    start: date
    budget: int | None = Field(None, ge=0, le=10**13)
    again: Literal["no", "other", "after"]
    edits: list[SpendingEdit] = Field(default_factory=list, max_length=2000)
    reason: str = Field("", max_length=500)


class SpendingDayOut(Schema):
    """Cents by group, in the calendar's order."""

    day: date
    phase: Literal["test", "cool_down", "after"]
    usual: list[int]
    planned: list[int]
    edited: list[GroupName]


class WeekdayBalanceOut(Schema):
    more: int
    less: int


class SpendingCalendarOut(Schema):
    """``difference`` of the sum from the budget, in cents; ``beyond`` what is tolerated without a reason. ``balance`` is by
    weekday from Monday on: days with more, and with less, than usual. ``version`` is the plan's."""

    version: int
    start: date
    own_budget: bool
    budget: int
    again: Literal["no", "other", "after"]
    reason: str
    groups: list[GroupName]
    days: list[SpendingDayOut]
    total: int
    difference: int
    tolerance: float
    beyond: bool
    balance: list[WeekdayBalanceOut]


class LatestSpendingCalendar(Schema):
    calendar: SpendingCalendarOut | None


class BoundsOut(Schema):
    """An estimate with its interval; a bound is left out where there is no limit on that side."""

    estimate: float
    low: float | None
    high: float | None


class OutcomeEffectOut(Schema):
    """What the change of spending did to an outcome, of one product ``group`` or of all (""), against the partners: ``lift``
    relative, ``total`` in its units, ``spend`` the money that was spent less or more (positive), ``incremental`` the outcome
    per unit of it. ``trimmed`` is that return without the pairs that show most and least. ``confidence`` is that of the
    intervals."""

    outcome: str
    group: str
    less_is_better: bool
    lift: BoundsOut
    total: BoundsOut
    spend: float
    incremental: BoundsOut | None
    trimmed: float | None
    pvalue: float
    confidence: float


class PairLiftOut(Schema):
    treated: str
    control: str
    lift: float
    low: float | None
    high: float | None


class ChanceOut(Schema):
    """How many draws of the same pairs show which lift: ``edges`` of bins and their ``counts``."""

    edges: list[float]
    counts: list[int]
    draws: int
    exact: bool


class RegionCourseOut(Schema):
    """By day from ``first`` on, ``start`` being the place of the test's first; the running sums begin there."""

    first: date
    start: int
    observed: list[float]
    expected: list[float]
    low: list[float]
    high: list[float]
    running: list[float]
    running_low: list[float]
    running_high: list[float]


class LeakOut(Schema):
    region: str
    spent: float
    share: float | None


class MissingDaysOut(Schema):
    region: str
    first: date
    days: int


class ShockOut(Schema):
    """A day out of the ordinary in a region of the pairs; ``size`` is relative to what was to be expected."""

    region: str
    day: date
    size: float


class GroupSpendOut(Schema):
    """By day of the test so far, in money; ``difference`` is relative, left out where nothing was planned and some was spent."""

    group: GroupName
    planned: list[float]
    spent: list[float]
    difference: float | None


class RegionWatchOut(Schema):
    """``share`` is what was spent of the usual in the treated regions, ``leak`` the part of the change that did not come about:
    where nothing was to be spent, the same. ``leaks`` are the regions that are off their level. ``moved`` is the growth of the
    control regions over those not analysed, ``moved_too_far`` whether it went further than past windows do."""

    share: float | None
    leak: float | None
    leaks: list[LeakOut]
    missing: list[MissingDaysOut]
    moved: float | None
    moved_too_far: bool
    shocks: list[ShockOut]


class MonthOut(Schema):
    """What a month's ``spend`` brings, and what is left of it over what it must bring: all of the usual spend, of a graded test
    what lies between the usual and the level."""

    spend: float
    brings: BoundsOut
    worth: BoundsOut


class RegionArmOut(Schema):
    """What one change of spending showed, to ``level`` of the usual; ``step`` is the money in between in words, "" where it is
    all of it. ``synthetic`` is the lift by synthetic control, a check."""

    arm: ArmName
    level: float
    step: str
    confidence: float
    pairs: int
    left_out: int
    lost: float
    primary: OutcomeEffectOut | None
    others: list[OutcomeEffectOut]
    by_group: list[OutcomeEffectOut]
    unread: list[str]
    synthetic: float | None = None
    pair_by_pair: list[PairLiftOut]
    chance: ChanceOut | None
    course: RegionCourseOut | None
    watch: RegionWatchOut | None
    month: MonthOut | None


class TriedLevelOut(Schema):
    """Spend as it was observed, as a share of the usual, and the lift against the usual."""

    share: float
    lift: BoundsOut


class CurveOut(Schema):
    """A form of the curve of the outcome: its lifts by spend as shares of the usual, and the lift of spending ``nothing``, with
    the interval of all curves of this form that pass through both levels' intervals (null where none does)."""

    name: str
    nothing: BoundsOut | None
    shares: list[float]
    lifts: list[float]


class ResponseOut(Schema):
    """How the outcome answers to spend. ``rising`` and ``flattening`` say whether the levels allow that more brings no less, and
    each further unit no more than the one before; ``isotonic`` are the lifts of the three levels in rising order that come
    nearest. ``at_most`` is the lift without any spending, at the most, whatever the form."""

    levels: list[TriedLevelOut]
    isotonic: list[float]
    rising: bool
    flattening: bool
    at_most: float | None
    curves: list[CurveOut]


class RegionReadingOut(Schema):
    """The days so far and what the rule says. ``verdict`` is one of the vocabulary's region verdicts; ``decided`` says that it
    is as it was decided on. ``arms`` are what was changed: one, or the two levels of a graded test, lower first, each read at
    its own ``confidence`` so that both hold together with that of the reading. ``spend`` is by group."""

    verdict: str
    headline: str
    figure: str
    short: str
    detail: str
    suggested: str
    conditions: list[ConditionOut]
    would_change: list[str]
    warnings: list[str]
    rule_in_words: str
    phase: Literal["before", "test", "cool_down", "complete"]
    ended_early: bool
    decided: bool
    days: int
    test_days: int
    cool_down_days: int
    start: date
    last: date
    read_on: date
    confidence: float
    break_even: float
    same_within: float
    leak_limit: float
    outcome: str
    tested: str
    currency: str
    pairs: int
    left_out: int
    arms: list[RegionArmOut]
    spend: list[GroupSpendOut]
    response: ResponseOut | None


class BroughtDaysOut(Schema):
    """Figures that are ``new`` and ``changed``, rows of the ``past``, which stays as it was, and ``unknown`` regions."""

    new: int
    changed: int
    past: int
    unknown: list[str]
    last: date | None
    reading: RegionReadingOut


class RegionDecisionIn(Body):
    """``choice`` is A to go on spending, B to stop, none for neither; of a graded test A is as planned, B less, C more. A
    ``reason`` is wanted where it differs from the rule."""

    choice: Literal["A", "B", "C", "none"]
    reason: str = Field("", max_length=2000)
    next_step: str = Field("", max_length=2000)
