"""Shapes of experiments over HTTP."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any, Literal

from ninja import Schema
from pydantic import Field

from neat_verdict.app.experiments.page_changes import MAX_CHANGES, PageChangeIO
from neat_verdict.app.http.bodies import Body, shown
from neat_verdict.app.http.choices import MethodName, QuestionName
from neat_verdict.app.metrics.schemas import ConditionIO
from neat_verdict.core.methods import DEFAULT_METHOD
from neat_verdict.core.planning import MAX_ROUNDS, Alternatives, Plan
from neat_verdict.core.questions import DEFAULT_QUESTION
from neat_verdict.core.rule import Direction
from neat_verdict.core.text.format import format_share
from neat_verdict.core.traffic import MAX_ALLOCATED_BY, MAX_NAMED, MAX_RULES, IdentityRule

Role = Literal["primary", "secondary", "guardrail", "goal", "exploratory"]


def without_defaults(schema: dict[str, Any]) -> None:
    """A field that is not sent stays as it is, or is filled in: a client need not send any, and its types say so."""
    for field in schema.get("properties", {}).values():
        field.pop("default", None)


class ParameterIO(Body):
    """A value the site reads; ``value`` is text that is read as ``kind``."""

    name: str = Field(max_length=80)
    kind: Literal["text", "number", "true_false", "json"] = "text"
    value: str = Field(default="", max_length=10_000)


class VariantIn(Body):
    """``id`` is that of a variant that is there; without it a new one. ``copy_of`` takes its pictures along. ``address`` is that
    of a page of its own, which its visitors are sent to."""

    model_config = {"extra": "forbid", "json_schema_extra": without_defaults}
    id: int | None = None
    copy_of: int | None = None
    name: str = Field(max_length=80)
    changes: list[str] = Field(default_factory=list, max_length=20)
    parameters: list[ParameterIO] = Field(default_factory=list, max_length=50)
    link: str = Field(default="", max_length=500)
    address: str = Field(default="", max_length=500)
    page_changes: list[PageChangeIO] = Field(default_factory=list, max_length=MAX_CHANGES)
    weight: float = Field(default=1.0, gt=0, le=1e6)


class PictureOut(Schema):
    id: int
    url: str
    width: int
    height: int
    caption: str
    until: date | None  # the day on which it was removed


class VariantOut(Schema):
    id: int
    letter: str
    name: str
    changes: list[str]
    parameters: list[ParameterIO]
    link: str
    address: str
    page_changes: list[PageChangeIO]
    page_changes_in_words: list[str]
    weight: float
    pictures: list[PictureOut]
    earlier_pictures: list[PictureOut]  # removed since the start


class MetricUseFields(Schema):
    """``direction`` is which way is good in this experiment, in place of the library's."""

    name: str = Field(max_length=80)
    role: Role
    margin: float | None = None
    baseline: float | None = None
    standard_deviation: float | None = None
    before_days: int | None = Field(default=None, ge=1, le=365)
    strata: str | None = Field(default=None, max_length=80)  # a property by which a rate is post-stratified
    direction: Direction | None = None


class MetricUseIn(MetricUseFields):
    """``name`` is that (or the key) of a metric of the library; one that is not there yet is made, as a plain conversion, where
    the line says that it is ``new``."""

    model_config = {"extra": "forbid"}
    new: bool = False


class MetricUseOut(MetricUseFields):
    key: str
    kind: str
    is_rate: bool
    good_direction: Literal["up", "down"]
    unit: str
    currency: str
    words: str
    fields: list[str]  # columns of its daily counts
    added_at: datetime | None  # after the start
    version: int
    latest_version: int


class RampStepIO(Body):
    days: int = Field(ge=1, le=400)
    participation: float = Field(gt=0, le=1)


class ConditionGroupIO(Schema):
    """Conditions of which all, or any one, must hold."""

    model_config = {"extra": "forbid"}
    kind: Literal["all", "any"] = "all"
    conditions: list[ConditionIO] = Field(max_length=50)


class NeverCountedIO(Body):
    """Own staff, monitors, test visits: ids, and rules on the properties at the first exposure, of which any one is enough."""

    model_config = shown(
        units=["u-1"],
        groups=[{"kind": "all", "conditions": [{"attribute": "staff", "kind": "boolean", "values": ["true"]}]}],
    )
    model_config = {"extra": "forbid"}
    units: list[str] = Field(max_length=MAX_NAMED)
    groups: list[ConditionGroupIO] = Field(max_length=MAX_RULES)
    # Events of an id while the round runs, beyond which it is taken for a robot.
    more_than: int | None = None


class AllocationIO(Schema):
    """How traffic follows the evidence; ``metric`` is the key of the metric that shares follow ("" for the one that decides).

    Epochs last ``epoch_hours``; ``properties`` are those by which traffic is allocated separately: none for everybody alike, one
    by its values, several by their combinations, with a part ``uniform`` of units assigned evenly. ``half_life`` is in epochs.
    """

    model_config = {"extra": "forbid"}
    kind: Literal["proportional", "top_two"] = "proportional"
    metric: str = Field(default="", max_length=80)
    epoch_hours: int = Field(default=24, ge=1, le=336)
    even_epochs: int = Field(default=1, ge=0, le=400)
    even_units: int = Field(default=100, ge=0, le=10**7)
    floor: float = Field(default=0.05, gt=0, lt=0.5)
    max_change: float = Field(default=0.25, gt=0, le=1)
    half_life: float | None = Field(default=None, gt=0, le=1000)
    properties: list[str] = Field(default=[], max_length=MAX_ALLOCATED_BY)
    uniform: float = Field(default=0.1, ge=0.01, le=0.9)


class FactorIO(Body):
    """One of several things that are changed at once; the first of its ``levels`` is the base."""

    name: str = Field(max_length=40)
    levels: list[str] = Field(max_length=10)


class ExperimentFields(Schema):
    """The fields of an experiment that can be edited, as they are sent and answered (see `fields.FIELDS`)."""

    name: str = Field(default="", max_length=120)
    area: str = Field(default="", max_length=60)
    description: str = Field(default="", max_length=5000)
    change: str = Field(default="", max_length=300)
    audience: str = Field(default="", max_length=200)
    because: str = Field(default="", max_length=400)
    unit_name: str = Field(default="visitors", min_length=1, max_length=40)
    baseline: float | None = None
    standard_deviation: float | None = None
    correlation: float = Field(default=0.0, ge=0, lt=1)
    worthwhile_lift: float = 0.05
    audience_per_day: int | None = Field(default=None, ge=1, le=10**9)
    participation: float = 1.0
    page: str = Field(default="", max_length=500)  # its address, as visitors open it
    ramp: list[RampStepIO] = Field(default_factory=list, max_length=20)
    data_from: Literal["files", "events"] = "files"
    assignment_unit: Literal["visitor", "account", "request"] = "visitor"
    audience_rules: list[ConditionGroupIO] = Field(default_factory=list, max_length=20)
    identity: IdentityRule = "id"
    never_counted: NeverCountedIO = Field(default_factory=lambda: NeverCountedIO(units=[], groups=[]))
    forced: dict[str, str] = Field(default_factory=dict, max_length=200)
    exclusion_group: str = Field(default="", max_length=60)
    exclusion_share: float = 1.0
    confidence: float = 0.95
    power: float = 0.8
    least_weeks: int = Field(default=2, ge=1, le=52)
    least_conversions: int = Field(default=50, ge=0, le=10**6)
    planned_start: date | None = None
    longest_run_weeks: int | None = Field(default=None, ge=1, le=104)
    rounds_planned: int = Field(default=1, ge=1, le=MAX_ROUNDS)
    question: QuestionName = DEFAULT_QUESTION.name
    method: MethodName = DEFAULT_METHOD.name
    method_settings: dict[str, Any] = Field(default_factory=dict)
    family: Literal["holm", "benjamini_hochberg"] = "holm"
    warm_up_days: int = Field(default=0, ge=0, le=60)
    count_tolerance: float = 0.05
    allocation: AllocationIO | None = None
    factors: list[FactorIO] = Field(default=[], max_length=3)


class ExperimentChanges(ExperimentFields):
    """Only the fields that are given change."""

    model_config = {"extra": "forbid", "json_schema_extra": without_defaults}
    metrics: list[MetricUseIn] = Field(default_factory=list, max_length=50)
    variants: list[VariantIn] = Field(default_factory=list)

    def given(self) -> dict[str, Any]:
        """The fields that were sent, each whole."""
        return {field: value for field, value in self.model_dump().items() if field in self.model_fields_set}


class Edit(Body):
    """``reason`` allows a change of the decision rule, or of what visitors get, after the start; it is kept in the ledger and
    shown in the report. ``new_round`` ends the round with such a change of what visitors get, and begins the next."""

    model_config = shown(version=3, changes={"worthwhile_lift": 0.04})
    version: int
    changes: ExperimentChanges
    reason: str = Field(default="", max_length=2000)
    new_round: bool = False


class NewExperiment(Body):
    model_config = shown(
        name="Fare calendar",
        changes={"area": "Booking", "change": "the cheapest day is shown", "audience": "visitors of the fares page"},
    )
    name: str = Field(max_length=120)
    changes: ExperimentChanges | None = None


class WhatIfOut(Schema):
    name: str
    label: str
    weeks: int | None


class LookOut(Schema):
    day: int
    information: float
    critical_value: float
    nominal: float
    lift: float


class NeedOut(Schema):
    name: str
    total: int
    weeks: int


class JointPowerOut(Schema):
    """As `core.planning.JointPower`, the deciding metric first."""

    each: list[float]
    independent: float
    least: float
    most: float


class PlanOut(Schema):
    """A plan; lifts and rates as shares. ``needs`` has the metric that decides first, then the guardrails and goals.

    ``sample_saved`` is the share of the sample that adjusting for the covariate saves, as text.
    """

    total: int
    per_arm: list[int]
    weeks: int
    days_needed: int
    units_per_day: float
    too_long: bool
    rounds: int
    changed_level: float
    sample_saved: str
    inflation: float
    needs: list[NeedOut]
    decided_by: str
    looks: list[LookOut]
    curve: list[float | None]
    weeks_by_strictness: dict[str, int]
    what_if: list[WhatIfOut]
    joint_power: JointPowerOut | None
    warnings: list[str]
    sentence: str

    @classmethod
    def of(cls, plan: Plan, others: Alternatives) -> PlanOut:
        """A plan of the core with its alternatives."""
        return cls(
            total=plan.size.total,
            per_arm=list(plan.size.per_arm),
            weeks=plan.duration.weeks,
            days_needed=plan.duration.days_needed,
            units_per_day=plan.duration.units_per_day,
            too_long=plan.duration.too_long,
            rounds=plan.duration.rounds,
            changed_level=plan.changed_level,
            sample_saved=format_share(plan.variance_removed, 0),
            inflation=plan.inflation,
            needs=[NeedOut(name=need.name, total=need.size.total, weeks=need.weeks) for need in plan.needs],
            decided_by=plan.decided_by,
            looks=[
                LookOut(
                    day=look.day,
                    information=look.information,
                    critical_value=look.critical_value,
                    nominal=look.nominal,
                    lift=look.lift,
                )
                for look in plan.looks
            ],
            curve=list(plan.curve),
            weeks_by_strictness=others.weeks_by_strictness,
            what_if=[WhatIfOut(name=line.name, label=line.label, weeks=line.weeks) for line in others.what_if],
            joint_power=None
            if plan.joint_power is None
            else JointPowerOut.model_validate(plan.joint_power, from_attributes=True),
            warnings=list(plan.warnings),
            sentence=plan.sentence,
        )


class RuleChangeOut(Schema):
    at: datetime
    by: str
    reason: str
    before: str
    after: str


class DeliveryChangeOut(RuleChangeOut):
    """``subject``: what of that which visitors get was changed."""

    subject: str


class RoundOut(Schema):
    """A closed round. ``key`` opens it as it was."""

    key: str
    number: int
    started_on: date
    ended_on: date
    units: int


class ExperimentOut(ExperimentFields):
    """An experiment with what follows from its fields."""

    model_config = {"json_schema_serialization_defaults_required": True}

    key: str
    version: int
    by_region: bool
    design: str
    state: Literal["draft", "scheduled", "running", "paused", "ended", "decided", "tailored", "archived"]
    owner: str
    metric: str
    metrics: list[MetricUseOut]
    good_direction: Literal["up", "down"]
    participation_today: float
    audience_in_words: str
    never_counted_in_words: str
    breakdowns: list[list[str]]
    round: int
    round_of: str  # of a closed round the key of its experiment
    rounds: list[RoundOut]
    rounds_left: int  # of the plan, after the present one
    starts_at: datetime | None
    ends_at: datetime | None
    workspace_longest_run_weeks: int
    allocation_mode: Literal["follow", "frozen", "even"]
    rule_changes: list[RuleChangeOut]
    delivery_changes: list[DeliveryChangeOut]
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
    read_after: date | None
    decision: str
    decision_reason: str
    decision_next: str
    decided_by: str
    decided_at: datetime | None


class StartIn(Body):
    """Now, on an earlier day, or (``starts_at``) at a time to come. ``reason`` starts it although not everything is ready."""

    model_config = shown(starts_at="2026-03-02T09:00:00Z", ends_at="2026-03-16T09:00:00Z")
    started_on: date | None = None
    starts_at: datetime | None = None
    ends_at: datetime | None = None
    reason: str = Field(default="", max_length=2000)


class EndIn(Body):
    """``ends_at`` without a value: somebody ends it."""

    model_config = shown(ends_at="2026-03-16T09:00:00Z")
    ends_at: datetime | None = None


class WithdrawIn(Body):
    reason: str = Field(max_length=2000)


class HandOverIn(Body):
    """``owner`` is the name to sign in with of who has it from now on."""

    model_config = shown(owner="mona")
    owner: str = Field(max_length=150)


class OwnerOut(Schema):
    """Somebody who may own experiments."""

    username: str
    display_name: str


class LedgerOut(Schema):
    at: datetime
    by: str
    verb: str
    sentence: str
    detail: dict[str, Any]


State = Literal["draft", "scheduled", "running", "paused", "ended", "decided", "tailored", "archived"]


class ExperimentFilter(Schema):
    """``search`` has words of name, area, change and hypothesis; ``owner`` is a name to sign in with; of ``state`` there may be
    several. ``sort`` begins with "-" for the largest, or latest, first; what has no such moment comes last."""

    search: str = Field(default="", max_length=200)
    state: list[State] = Field(default=[])
    area: str = Field(default="", max_length=80)
    owner: str = Field(default="", max_length=150)
    metric: str = Field(default="", max_length=80, description="Key of a metric that it has, in whatever role")
    created_since: datetime | None = None
    sort: Literal["name", "-name", "created", "-created", "started", "-started", "decided", "-decided"] = "-created"


class ListedOut(Schema):
    """An experiment in the list: the rest is at its own address."""

    key: str
    name: str
    state: State
    area: str
    owner: str
    by_region: bool
    round: int
    version: int
    metric: str
    method: str
    question: str
    decision: str
    created_at: datetime
    started_at: datetime | None
    ended_at: datetime | None
    decided_at: datetime | None


class ExperimentPage(Schema):
    items: list[ListedOut]
    count: int


class LedgerPage(Schema):
    items: list[LedgerOut]
    count: int


class ConditionOut(Schema):
    """A line of a rule with the figure seen and the one required."""

    key: str
    subject: Literal["minimum", "soundness", "effect"]
    label: str
    state: Literal["met", "not_met", "unknown"]
    seen: str
    required: str
