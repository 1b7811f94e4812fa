"""Shapes of forecasts, rehearsals and past data over HTTP."""

from __future__ import annotations

from datetime import date, datetime
from typing import Literal

from ninja import Schema
from pydantic import Field, computed_field

from neat_verdict.app.http.bodies import Body, shown
from neat_verdict.core.text.format import format_simulated


class ForecastIn(Body):
    model_config = shown(lift=0.03, low=-0.01, high=0.07)
    lift: float = Field(ge=-1, le=100)
    low: float = Field(ge=-1, le=100)
    high: float = Field(ge=-1, le=100)
    note: str = Field(default="", max_length=300)


class ForecastOut(Schema):
    """``lift``, ``low`` and ``high`` are empty while another person's forecast is sealed."""

    by: str
    mine: bool
    at: datetime
    lift: float | None
    low: float | None
    high: float | None
    note: str


class ForecastsOut(Schema):
    open: bool
    sealed: bool
    outcome: float | None
    forecasts: list[ForecastOut]


class RehearseIn(Body):
    model_config = shown(runs=2000)
    runs: int = Field(default=10_000, ge=100, le=200_000)
    seed: int = Field(default=1, ge=0, le=2**31 - 1)
    own_lift: float | None = Field(default=None, gt=-1, le=100)


class ShareOut(Schema):
    """A simulated share with its Monte Carlo standard error."""

    share: float
    error: float

    @computed_field  # type: ignore[prop-decorator]
    @property
    def text(self) -> str:
        """The share with its 95 % margin in percentage points: "12.4% ± 0.6"."""
        return format_simulated(self.share, self.error)


class PathOut(Schema):
    lifts: list[float | None]
    decided_on: int
    verdict: str


class BoundaryOut(Schema):
    day: int
    lift: float


class WorldOut(Schema):
    """What came of a rehearsal in which variant B truly has this lift."""

    key: Literal["none", "worthwhile", "margin", "own"]
    lift: float
    verdicts: dict[str, ShareOut]
    decided_on: list[int]
    mean_days: float
    days_quantiles: list[float]
    mean_units: float
    right_winners: ShareOut
    false_winners: ShareOut
    peeking_winners: ShareOut
    peeking_differences: ShareOut
    estimates: list[float | None]
    exaggeration: float | None
    paths: list[PathOut]
    boundary: list[BoundaryOut]


class RehearsalOut(Schema):
    id: int
    state: Literal["running", "done", "cancelled", "failed"]
    progress: float
    seed: int
    runs: int
    own_lift: float | None
    at: datetime
    by: str
    problem: str
    stale: bool
    days: int
    worlds: list[WorldOut]


class RehearseAllocationIn(Body):
    """``lifts`` are the true ones of the variants against control; ``drift`` how much all levels change over the run."""

    model_config = shown(lifts=[0.05])
    lifts: list[float] = Field(min_length=1, max_length=9)
    drift: float = Field(default=0.0, gt=-1, le=10)
    runs: int = Field(default=200, ge=20, le=2_000)
    seed: int = Field(default=1, ge=0, le=2**31 - 1)


class EstimateOut(Schema):
    """A simulated mean with its 95 % bounds; null where nothing was there to take a mean of."""

    estimate: float | None
    low: float | None
    high: float | None


class WayOut(Schema):
    """What came of one way of sharing out; ``shares`` by epoch and variant."""

    total: float
    right: ShareOut
    false: ShareOut
    open: ShareOut
    picked: ShareOut
    median_days: float | None
    pooled_bias: EstimateOut
    stratified_bias: EstimateOut
    shares: list[list[float]]


class AllocationResult(Schema):
    days: int
    epoch_days: float
    is_rate: bool
    even: WayOut
    adaptive: WayOut
    gained: EstimateOut
    sentence: str


class AllocationRehearsalOut(Schema):
    id: int
    state: Literal["running", "done", "cancelled", "failed"]
    progress: float
    seed: int
    runs: int
    lifts: list[float]
    drift: float
    at: datetime
    by: str
    problem: str
    stale: bool
    result: AllocationResult | None


class LatestAllocationRehearsal(Schema):
    rehearsal: AllocationRehearsalOut | None


class LatestRehearsal(Schema):
    rehearsal: RehearsalOut | None


class AATestIn(Body):
    """``shares`` are control's and the variant's, in any unit."""

    model_config = shown(splits=1000)
    shares: list[float] = Field(default=[1.0, 1.0], min_length=2, max_length=2)
    confidence: float = Field(default=0.95, gt=0.5, lt=1)
    splits: int = Field(default=1000, ge=100, le=10_000)
    seed: int = Field(default=1, ge=0, le=2**31 - 1)


class AAResult(Schema):
    """Of splits of ``units`` in which nothing differs: called ``higher`` and ``lower`` where ``promised`` a side is right, those
    that had to wait, and those whose interval ``held`` no difference."""

    units: int
    promised: float
    higher: ShareOut
    lower: ShareOut
    waits: ShareOut
    held: ShareOut
    as_promised: bool
    sentence: str


class AATestOut(Schema):
    id: int
    state: Literal["running", "done", "cancelled", "failed"]
    progress: float
    shares: list[float]
    confidence: float
    splits: int
    seed: int
    at: datetime
    by: str
    problem: str
    result: AAResult | None


class LatestAATest(Schema):
    """``enough`` says whether so many past units as a test needs, ``min_units``, are known one by one."""

    enough: bool
    min_units: int
    test: AATestOut | None


class PastOut(Schema):
    """A level today, from past data. ``standard_deviation`` is missing for rates, ``units_per_day`` where no days were given."""

    source: str
    key: str
    metric: str
    is_rate: bool
    baseline: float
    standard_deviation: float | None
    units: int
    units_per_day: float | None
    first_day: date | None
    last_day: date | None
    cap_99: float | None
    sentence: str


class PastsOut(Schema):
    """``standing`` says where the level of the plan lies among those of the decided experiments; "" where they are few."""

    items: list[PastOut]
    standing: str
