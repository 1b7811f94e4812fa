"""Answers without an experiment."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from neat_verdict.app.analysis.panels.spend import spend_arms
from neat_verdict.app.analysis.presenting import present
from neat_verdict.app.analysis.recording import record_of_reading
from neat_verdict.app.analysis.schemas import ReadingOut, SpendArmOut
from neat_verdict.app.experiments.queries import workspace
from neat_verdict.app.experiments.record import MetricRecord
from neat_verdict.app.experiments.schemas import PlanOut
from neat_verdict.app.http.bodies import Body, shown
from neat_verdict.app.http.choices import QuestionName
from neat_verdict.app.people.auth import WHO_READS
from neat_verdict.core.checks import InputError, read_count
from neat_verdict.core.metrics import RATE
from neat_verdict.core.numbers import read_number
from neat_verdict.core.planning import Arms, Arrivals, Baseline, PlanRequest, Strictness, make_plan, plan_alternatives
from neat_verdict.core.questions import DEFAULT_QUESTION, QUESTIONS
from neat_verdict.core.statistics import Rate, Spend
from neat_verdict.core.text.names import Names
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts import DecisionRule, Reading, read_experiment, rule_in_words, what_would_change

router = Router(tags=["scratchpad"], auth=WHO_READS)


class ArmIn(Body):
    """Counts as typed: "41,433" is read, a rate is refused with the reason. ``cost``, ``impressions`` and the ``amount`` that
    all conversions came to are totals, "" where they are not known."""

    name: str = Field(default="", max_length=80)
    units: str = Field(max_length=40)
    conversions: str = Field(max_length=40)
    cost: str = Field(default="", max_length=40)
    impressions: str = Field(default="", max_length=40)
    amount: str = Field(default="", max_length=40)
    weight: float = Field(default=1.0, gt=0)


class CountsIn(Body):
    model_config = shown(
        arms=[
            {"name": "A", "units": "10480", "conversions": "501"},
            {"name": "B", "units": "10511", "conversions": "588"},
        ]
    )
    arms: list[ArmIn] = Field(min_length=2, max_length=10)
    confidence: float = 0.95
    question: QuestionName = DEFAULT_QUESTION.name
    worthwhile_lift: float = 0.05
    least_conversions: int = Field(default=50, ge=0, le=10**6)
    good_direction: Literal["up", "down"] = "up"
    metric: str = Field(default="conversions", max_length=80)
    days: int = Field(default=0, ge=0, le=3660)


class MoneyOut(Schema):
    """A variant's money. Of amounts only the total is known, so that what follows from it has no interval."""

    spend: SpendArmOut
    amount: float | None
    amount_each: float | None
    return_on_spend: float | None


class JudgedOut(Schema):
    """``money`` is empty where neither cost, impressions nor an amount was given."""

    reading: ReadingOut
    money: list[MoneyOut]


class SizeIn(Body):
    model_config = shown(baseline=0.05, worthwhile_lift=0.1, audience_per_day=8000)
    question: QuestionName = DEFAULT_QUESTION.name
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


def _total(position: int, arm: ArmIn, field: str) -> float | None:
    """A total as typed, None where there is none. Raises InputError for what is no number, or is below 0."""
    text = getattr(arm, field).strip()
    if not text:
        return None
    path = f"arms.{position}.{field}"
    value = float(read_count(path, text)) if field == "impressions" else read_number(path, text)
    if value < 0:
        raise InputError(path, text, "must be 0 or more")
    return value


def _money(payload: CountsIn, reading: Reading, rule: DecisionRule) -> list[MoneyOut]:
    """Raises InputError for a total that is given for some variants only: the others would look free."""
    fields = ("cost", "impressions", "amount")
    totals = {field: [_total(at, arm, field) for at, arm in enumerate(payload.arms)] for field in fields}
    for field, values in totals.items():
        given = [value is not None for value in values]
        if any(given) and not all(given):
            raise InputError(
                f"arms.{given.index(False)}.{field}", "empty", "must be given for every variant, or for none"
            )
    if all(values[0] is None for values in totals.values()):
        return []
    sums = {
        at: Spend(cost or 0.0, shown or 0.0)
        for at, (cost, shown) in enumerate(zip(totals["cost"], totals["impressions"], strict=True))
    }
    lines = zip(spend_arms(reading, rule, sums), reading.arms, totals["amount"], totals["cost"], strict=True)
    return [
        MoneyOut(
            spend=spent,
            amount=amount,
            amount_each=amount / arm.units if amount is not None and arm.units else None,
            return_on_spend=amount / cost if amount is not None and cost else None,
        )
        for spent, arm, amount, cost in lines
    ]


@router.post("/scratchpad/verdict", response=JudgedOut, operation_id="judge_counts")
def judge_counts(request: HttpRequest, payload: CountsIn) -> JudgedOut:
    """Lift, interval, p-value and verdict from counts. Nothing is stored."""
    rule = DecisionRule(
        confidence=payload.confidence,
        worthwhile_lift=payload.worthwhile_lift,
        question=QUESTIONS[payload.question],
        good_direction=payload.good_direction,
        least_conversions=payload.least_conversions,
    )
    rates = [_rate(position, arm) for position, arm in enumerate(payload.arms)]
    labels = tuple(arm.name.strip() or LETTERS[position] for position, arm in enumerate(payload.arms))
    reading = read_experiment(rates, [arm.weight for arm in payload.arms], rule, days=payload.days)
    money = _money(payload, reading, rule)
    names = Names(payload.metric.strip() or "conversions", "units", labels)
    metric = MetricRecord("", names.metric, RATE.name, "percent", "", payload.good_direction)
    words = rule_in_words(rule, reading.split.planned_shares)
    record = record_of_reading(reading, rule, names, words, metric)
    return JudgedOut(
        reading=present(replace(record, would_change=what_would_change(reading, rule, names))),
        money=money if reading.verdict.name != "unsound" else [],
    )


@router.post("/scratchpad/size", response=PlanOut, operation_id="size_plan")
def size_plan(request: HttpRequest, payload: SizeIn) -> PlanOut:
    """Sample size and duration for a plan. Nothing is stored."""
    plan_request = PlanRequest(
        baseline=Baseline(payload.baseline),
        worthwhile_lift=abs(payload.worthwhile_lift),
        arrivals=Arrivals(payload.audience_per_day, payload.participation),
        arms=Arms(payload.weights),
        strictness=Strictness(payload.confidence, payload.power),
        sign=-1 if payload.worthwhile_lift < 0 else 1,
        question=QUESTIONS[payload.question],
        least_weeks=payload.least_weeks,
        longest_run_weeks=workspace().longest_run_weeks,
    )
    return PlanOut.of(make_plan(plan_request, "units"), plan_alternatives(plan_request))
