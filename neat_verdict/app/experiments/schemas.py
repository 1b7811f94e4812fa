"""Shapes of experiments over HTTP."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any, Literal

from ninja import Schema
from pydantic import Field, model_validator


class VariantIn(Schema):
    model_config = {"extra": "forbid"}
    name: str = Field(max_length=80)
    changes: list[str] = Field(default_factory=list, max_length=20)
    weight: float = Field(default=1.0, gt=0, le=1e6)


class VariantOut(VariantIn):
    model_config = {"extra": "ignore"}
    letter: str


class ExperimentChanges(Schema):
    """Only the fields that are given change."""

    model_config = {"extra": "forbid"}
    name: str = Field(default="", max_length=120)
    area: str = Field(default="", max_length=60)
    description: str = Field(default="", max_length=5000)
    change: str = Field(default="", max_length=300)
    audience: str = Field(default="", max_length=200)
    because: str = Field(default="", max_length=400)
    metric: str = Field(default="", max_length=80)
    unit_name: str = Field(default="visitors", min_length=1, max_length=40)
    good_direction: Literal["up", "down"] = "up"
    baseline: float | None = None
    worthwhile_lift: float = 0.05
    audience_per_day: int | None = Field(default=None, ge=1, le=10**9)
    participation: float = 1.0
    confidence: float = 0.95
    power: float = 0.8
    least_weeks: int = Field(default=2, ge=1, le=52)
    least_conversions: int = Field(default=50, ge=0, le=10**6)
    planned_start: date | None = None
    variants: list[VariantIn] = Field(default_factory=list)

    def given(self) -> dict[str, Any]:
        """The fields that were sent, each whole."""
        return {field: value for field, value in self.model_dump().items() if field in self.model_fields_set}


class Edit(Schema):
    version: int
    changes: ExperimentChanges


class NewExperiment(Schema):
    name: str = Field(max_length=120)
    changes: ExperimentChanges | None = None


class WhatIfOut(Schema):
    label: str
    weeks: int | None


class PlanOut(Schema):
    """A plan; lifts and rates as shares."""

    total: int
    per_arm: list[int]
    weeks: int
    days_needed: int
    units_per_day: float
    too_long: bool
    changed_rate: float
    curve: list[float | None]
    weeks_by_strictness: dict[str, int]
    what_if: list[WhatIfOut]
    warnings: list[str]
    sentence: str

    @model_validator(mode="before")
    @classmethod
    def flatten(cls, value: Any) -> Any:
        plan = getattr(value, "_obj", value)
        if not hasattr(plan, "size"):
            return value
        return {
            "total": plan.size.total,
            "per_arm": list(plan.size.per_arm),
            "weeks": plan.duration.weeks,
            "days_needed": plan.duration.days_needed,
            "units_per_day": plan.duration.units_per_day,
            "too_long": plan.duration.too_long,
            "changed_rate": plan.changed_rate,
            "curve": list(plan.curve),
            "weeks_by_strictness": plan.weeks_by_strictness,
            "what_if": [{"label": line.label, "weeks": line.weeks} for line in plan.what_if],
            "warnings": list(plan.warnings),
            "sentence": plan.sentence,
        }


class ExperimentOut(Schema):
    key: str
    version: int
    state: Literal["draft", "running", "paused", "ended", "decided", "archived"]
    name: str
    area: str
    owner: str
    description: str
    change: str
    audience: str
    because: str
    metric: str
    unit_name: str
    good_direction: Literal["up", "down"]
    baseline: float | None
    worthwhile_lift: float
    audience_per_day: int | None
    participation: float
    confidence: float
    power: float
    least_weeks: int
    least_conversions: int
    planned_start: date | None
    started_on: date | None
    ended_on: date | None
    rule_locked_at: datetime | None
    variants: list[VariantOut]
    hypothesis: str
    remarks: list[str]
    rule_in_words: str
    plan: PlanOut | None
    plan_problem: str
    last_day: date | None
    decision: str
    decision_reason: str
    decision_next: str
    decided_by: str
    decided_at: datetime | None


class StartIn(Schema):
    started_on: date | None = None


class WithdrawIn(Schema):
    reason: str = Field(max_length=2000)


class LedgerOut(Schema):
    at: datetime
    by: str
    verb: str
    sentence: str
    detail: dict[str, Any]


class LedgerPage(Schema):
    items: list[LedgerOut]
    count: int
