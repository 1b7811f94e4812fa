"""Answers without an experiment."""

from __future__ import annotations

from typing import Literal

from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from neat_verdict.app.analysis.presenting import present
from neat_verdict.app.analysis.recording import record_of_reading
from neat_verdict.app.analysis.schemas import ReadingOut
from neat_verdict.app.experiments.queries import workspace
from neat_verdict.app.experiments.record import MetricRecord
from neat_verdict.app.experiments.schemas import PlanOut
from neat_verdict.core.checks import InputError, read_count
from neat_verdict.core.metrics import RATE
from neat_verdict.core.planning import Arms, Arrivals, Baseline, PlanRequest, Strictness, make_plan, plan_alternatives
from neat_verdict.core.statistics import Rate
from neat_verdict.core.text.names import Names
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts import DecisionRule, read_experiment, rule_in_words

router = Router(tags=["scratchpad"])


class ArmIn(Schema):
    """Counts as typed: "41,433" is read, a rate is refused with the reason."""

    name: str = Field(default="", max_length=80)
    units: str = Field(max_length=40)
    conversions: str = Field(max_length=40)
    weight: float = Field(default=1.0, gt=0)


class CountsIn(Schema):
    arms: list[ArmIn] = Field(min_length=2, max_length=10)
    confidence: float = 0.95
    worthwhile_lift: float = 0.05
    least_conversions: int = Field(default=50, ge=0, le=10**6)
    good_direction: Literal["up", "down"] = "up"
    metric: str = Field(default="conversions", max_length=80)


class SizeIn(Schema):
    baseline: float
    worthwhile_lift: float
    audience_per_day: float = Field(gt=0, le=1e12)
    participation: float = 1.0
    weights: list[float] = Field(default_factory=lambda: [1.0, 1.0])
    confidence: float = 0.95
    power: float = 0.8
    least_weeks: int = Field(default=2, ge=1, le=52)


def _rate(position: int, arm: ArmIn) -> Rate:
    try:
        return Rate(read_count("conversions", arm.conversions), read_count("units", arm.units))
    except InputError as problem:
        problem.field = f"arms.{position}.{problem.field}"
        raise


@router.post("/scratchpad/verdict", response=ReadingOut, operation_id="judge_counts")
def judge_counts(request: HttpRequest, payload: CountsIn) -> ReadingOut:
    rule = DecisionRule(
        confidence=payload.confidence,
        worthwhile_lift=payload.worthwhile_lift,
        good_direction=payload.good_direction,
        least_conversions=payload.least_conversions,
    )
    rates = [_rate(position, arm) for position, arm in enumerate(payload.arms)]
    labels = tuple(arm.name.strip() or LETTERS[position] for position, arm in enumerate(payload.arms))
    reading = read_experiment(rates, [arm.weight for arm in payload.arms], rule)
    names = Names(payload.metric.strip() or "conversions", "units", labels)
    metric = MetricRecord("", names.metric, RATE.name, "percent", "", payload.good_direction)
    words = rule_in_words(rule, reading.split.planned_shares)
    return present(record_of_reading(reading, rule, names, words, metric))


@router.post("/scratchpad/size", response=PlanOut, operation_id="size_plan")
def size_plan(request: HttpRequest, payload: SizeIn) -> PlanOut:
    plan_request = PlanRequest(
        baseline=Baseline(payload.baseline),
        worthwhile_lift=abs(payload.worthwhile_lift),
        arrivals=Arrivals(payload.audience_per_day, payload.participation),
        arms=Arms(payload.weights),
        strictness=Strictness(payload.confidence, payload.power),
        sign=-1 if payload.worthwhile_lift < 0 else 1,
        least_weeks=payload.least_weeks,
        longest_run_weeks=workspace().longest_run_weeks,
    )
    return PlanOut.of(make_plan(plan_request, "units"), plan_alternatives(plan_request))
