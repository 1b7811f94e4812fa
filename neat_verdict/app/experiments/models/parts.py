"""The parts of an experiment, each with its columns and what the database holds of them.

They stand in one table: an edit changes any of them under one version, and every page reads all of them together.
"""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.db.models import Q

from neat_verdict.app import clock
from neat_verdict.core.methods import DEFAULT_METHOD
from neat_verdict.core.questions import DEFAULT_QUESTION
from neat_verdict.core.traffic import STANDARD_BREAKDOWNS, IdentityRule


def standard_breakdowns() -> list[list[str]]:
    """What the evidence of a new experiment is broken down by."""
    return [list(line) for line in STANDARD_BREAKDOWNS]


# States in which a rollout gives variants.
ROLLED_OUT = ("decided", "tailored")


class Identity(models.Model):
    """What it is, whose, and in which state; the brief."""

    class State(models.TextChoices):
        DRAFT = "draft"
        SCHEDULED = "scheduled"
        RUNNING = "running"
        PAUSED = "paused"
        ENDED = "ended"
        DECIDED = "decided"
        TAILORED = "tailored"  # given to some without a test
        ARCHIVED = "archived"

    key = models.SlugField(max_length=80, unique=True)
    # Whether regions are tested, not visitors; then its plan and data are those of `app.regions`.
    by_region = models.BooleanField(default=False)
    version = models.PositiveIntegerField(default=1)
    state = models.CharField(max_length=10, choices=State.choices, default=State.DRAFT)
    state_before_archive = models.CharField(max_length=10, blank=True, default="")
    name = models.CharField(max_length=120)
    area = models.CharField(max_length=60, blank=True, default="")
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="experiments")
    description = models.TextField(blank=True, default="")
    change = models.CharField(max_length=300, blank=True, default="")
    audience = models.CharField(max_length=200, blank=True, default="")
    because = models.CharField(max_length=400, blank=True, default="")
    unit_name = models.CharField(max_length=40, default="visitors")
    created_at = models.DateTimeField(default=clock.now)

    class Meta:
        abstract = True


class Planned(models.Model):
    """What is expected and how it will be judged; the rule is a copy, made and locked at the start."""

    baseline = models.FloatField(null=True, blank=True)
    standard_deviation = models.FloatField(null=True, blank=True)
    correlation = models.FloatField(default=0.0)
    worthwhile_lift = models.FloatField(default=0.05)
    audience_per_day = models.PositiveIntegerField(null=True, blank=True)
    confidence = models.FloatField(default=0.95)
    power = models.FloatField(default=0.8)
    least_weeks = models.PositiveSmallIntegerField(default=2)
    least_conversions = models.PositiveIntegerField(default=50)
    longest_run_weeks = models.PositiveSmallIntegerField(null=True, blank=True)
    # How many rounds, as long as each other, are read together by one plan; the round in which that plan was locked.
    rounds_planned = models.PositiveSmallIntegerField(default=1)
    rule_round = models.PositiveSmallIntegerField(default=1)
    # Several things that are changed at once, with their levels (`core.factors`); their combinations are the variants.
    factors = models.JSONField(default=list, blank=True)
    question = models.CharField(max_length=30, default=DEFAULT_QUESTION.name)
    method = models.CharField(max_length=30, default=DEFAULT_METHOD.name)
    # The settings of the method, by name (`core.methods`).
    method_settings = models.JSONField(default=dict, blank=True)
    family = models.CharField(max_length=20, default="holm")
    # By how much a second count may differ before it is an issue.
    count_tolerance = models.FloatField(default=0.05)
    warm_up_days = models.PositiveSmallIntegerField(default=0)
    rule = models.JSONField(null=True, blank=True)
    rule_locked_at = models.DateTimeField(null=True, blank=True)
    rule_changes = models.JSONField(default=list, blank=True)

    class Meta:
        abstract = True


PLAN_CONSTRAINTS: list[models.BaseConstraint] = [
    models.CheckConstraint(condition=Q(baseline__isnull=True) | Q(baseline__gt=0), name="baseline_above_zero"),
    models.CheckConstraint(
        condition=Q(standard_deviation__isnull=True) | Q(standard_deviation__gt=0),
        name="standard_deviation_above_zero",
    ),
    models.CheckConstraint(condition=Q(correlation__gte=0, correlation__lt=1), name="correlation_in_range"),
    models.CheckConstraint(condition=Q(worthwhile_lift__gt=0), name="worthwhile_lift_above_zero"),
    models.CheckConstraint(condition=Q(confidence__gt=0, confidence__lt=1), name="confidence_share"),
    models.CheckConstraint(condition=Q(power__gt=0, power__lt=1), name="power_share"),
    models.CheckConstraint(
        # A test by region has a rule of its own, in its plan.
        condition=Q(state__in=["draft", "scheduled", "archived", "tailored"])
        | Q(rule__isnull=False)
        | Q(by_region=True),
        name="rule_locked_once_started",
    ),
    models.CheckConstraint(condition=Q(family__in=["holm", "benjamini_hochberg"]), name="family_known"),
]


def nobody() -> dict[str, list[object]]:
    """Who is never counted, as long as nobody is named."""
    return {"units": [], "groups": []}


class Delivered(models.Model):
    """Who gets which variant, in which shares, who counts, and where counts come from."""

    participation = models.FloatField(default=1.0)
    # The address of the page that changes, as visitors open it; "" where none is.
    page = models.CharField(max_length=500, blank=True, default="")
    ramp = models.JSONField(default=list, blank=True)
    data_from = models.CharField(max_length=10, default="files")
    assignment_unit = models.CharField(max_length=10, default="visitor")
    audience_rules = models.JSONField(default=list, blank=True)
    # Whether every id is a unit, or all ids of a person are one (`core.traffic.IdentityRule`).
    identity: models.CharField[IdentityRule, IdentityRule] = models.CharField(max_length=6, default="id")
    # Properties at first exposure that its tallies are kept by, with those of the workspace (`Workspace.segments`).
    breakdowns = models.JSONField(default=standard_breakdowns, blank=True)
    # Who is never counted: {"units": ids, "groups": rules}.
    never_counted = models.JSONField(default=nobody, blank=True)
    forced = models.JSONField(default=dict, blank=True)
    exclusion_group = models.CharField(max_length=60, blank=True, default="")
    exclusion_share = models.FloatField(default=1.0)
    slice_start = models.FloatField(null=True, blank=True)
    slice_end = models.FloatField(null=True, blank=True)
    # How traffic follows the evidence (`allocation.AllocationIO`); null for a fixed split.
    allocation = models.JSONField(null=True, blank=True)
    # What the next epoch's shares do: follow the policy, stay as they are (frozen), or stay even.
    allocation_mode = models.CharField(max_length=10, default="follow")
    epoch = models.PositiveIntegerField(default=0)
    # Whether units that are in keep their variant while it is paused, ended, or decided for a variant without a rollout.
    holds_units = models.BooleanField(default=False)
    # Changes of what visitors get after the start (`delivery.DeliveryChange`), the earliest first.
    delivery_changes = models.JSONField(default=list, blank=True)
    # Changes of the split after the start, and variants that were stopped (`splits.KeptChange`).
    split_changes = models.JSONField(default=list, blank=True)

    class Meta:
        abstract = True


DELIVERY_CONSTRAINTS: list[models.BaseConstraint] = [
    models.CheckConstraint(condition=Q(identity__in=["id", "person"]), name="identity_known"),
    models.CheckConstraint(condition=Q(participation__gt=0, participation__lte=1), name="participation_share"),
    models.CheckConstraint(condition=Q(data_from__in=["files", "events"]), name="data_from_known"),
    models.CheckConstraint(
        condition=Q(assignment_unit__in=["visitor", "account", "request"]), name="assignment_unit_known"
    ),
    models.CheckConstraint(condition=Q(allocation_mode__in=["follow", "frozen", "even"]), name="allocation_mode_known"),
    models.CheckConstraint(
        condition=Q(exclusion_share__gt=0, exclusion_share__lte=1), name="exclusion_share_is_a_share"
    ),
]


class Scheduled(models.Model):
    """When it runs, and in which round."""

    planned_start = models.DateField(null=True, blank=True)
    round = models.PositiveSmallIntegerField(default=1)
    starts_at = models.DateTimeField(null=True, blank=True)
    ends_at = models.DateTimeField(null=True, blank=True)
    scheduled_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, blank=True, on_delete=models.PROTECT, related_name="+"
    )
    started_on = models.DateField(null=True, blank=True)
    ended_on = models.DateField(null=True, blank=True)
    started_at = models.DateTimeField(null=True, blank=True)
    ended_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        abstract = True


SCHEDULE_CONSTRAINTS: list[models.BaseConstraint] = [
    models.CheckConstraint(
        condition=~Q(state="scheduled") | Q(starts_at__isnull=False, scheduled_by__isnull=False),
        name="a_scheduled_start_has_its_time",
    ),
]


class Decided(models.Model):
    """What was decided, by whom, and on what reading."""

    decision = models.CharField(max_length=30, blank=True, default="")
    decision_reason = models.TextField(blank=True, default="")
    decision_next = models.TextField(blank=True, default="")
    decision_reading = models.JSONField(null=True, blank=True)
    # The counts that reading was made on (`analysis.frozen`); null of decisions made before they were kept.
    decision_counts = models.JSONField(null=True, blank=True)
    decided_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, blank=True, on_delete=models.PROTECT, related_name="decisions"
    )
    decided_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        abstract = True
