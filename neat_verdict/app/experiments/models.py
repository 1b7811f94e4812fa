"""Experiments, their variants, and the ledger of what was done to them."""

from __future__ import annotations

from django.conf import settings
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models
from django.db.models import F, Q

from neat_verdict.app import clock


class Workspace(models.Model):
    """One row: the organisation whose experiments these are."""

    name = models.CharField(max_length=120, default="Your workspace")
    time_zone = models.CharField(max_length=64, default="UTC")
    longest_run_weeks = models.PositiveSmallIntegerField(default=13)

    def __str__(self) -> str:
        return self.name


class Experiment(models.Model):
    """A brief, a size and a rule. The rule is a copy that is made at the start and never changes after."""

    class State(models.TextChoices):
        DRAFT = "draft"
        RUNNING = "running"
        PAUSED = "paused"
        ENDED = "ended"
        DECIDED = "decided"
        ARCHIVED = "archived"

    key = models.SlugField(max_length=80, unique=True)
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
    metric = models.CharField(max_length=80, blank=True, default="")
    unit_name = models.CharField(max_length=40, default="visitors")
    good_direction = models.CharField(max_length=4, default="up")

    baseline = models.FloatField(null=True, blank=True)
    worthwhile_lift = models.FloatField(default=0.05)
    audience_per_day = models.PositiveIntegerField(null=True, blank=True)
    participation = models.FloatField(default=1.0)
    confidence = models.FloatField(default=0.95)
    power = models.FloatField(default=0.8)
    least_weeks = models.PositiveSmallIntegerField(default=2)
    least_conversions = models.PositiveIntegerField(default=50)
    planned_start = models.DateField(null=True, blank=True)

    rule = models.JSONField(null=True, blank=True)
    rule_locked_at = models.DateTimeField(null=True, blank=True)
    started_on = models.DateField(null=True, blank=True)
    ended_on = models.DateField(null=True, blank=True)

    decision = models.CharField(max_length=30, blank=True, default="")
    decision_reason = models.TextField(blank=True, default="")
    decision_next = models.TextField(blank=True, default="")
    decision_reading = models.JSONField(null=True, blank=True)
    decided_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, blank=True, on_delete=models.PROTECT, related_name="decisions"
    )
    decided_at = models.DateTimeField(null=True, blank=True)
    created_at = models.DateTimeField(default=clock.now)

    class Meta:
        constraints = [
            models.CheckConstraint(condition=Q(good_direction__in=["up", "down"]), name="direction_known"),
            models.CheckConstraint(
                condition=Q(baseline__isnull=True) | Q(baseline__gt=0, baseline__lt=1), name="baseline_is_a_share"
            ),
            models.CheckConstraint(condition=Q(worthwhile_lift__gt=0), name="worthwhile_lift_above_zero"),
            models.CheckConstraint(condition=Q(participation__gt=0, participation__lte=1), name="participation_share"),
            models.CheckConstraint(condition=Q(confidence__gt=0, confidence__lt=1), name="confidence_share"),
            models.CheckConstraint(condition=Q(power__gt=0, power__lt=1), name="power_share"),
            models.CheckConstraint(
                condition=Q(state__in=["draft", "archived"]) | Q(rule__isnull=False), name="rule_locked_once_started"
            ),
        ]

    def __str__(self) -> str:
        return self.name


class Variant(models.Model):
    """An arm. Position 0 is control."""

    experiment = models.ForeignKey(Experiment, on_delete=models.CASCADE, related_name="variants")
    position = models.PositiveSmallIntegerField(validators=[MinValueValidator(0), MaxValueValidator(9)])
    name = models.CharField(max_length=80)
    changes = models.JSONField(default=list, blank=True)
    weight = models.FloatField(default=1.0)

    class Meta:
        ordering = ["position"]
        constraints = [
            models.UniqueConstraint(fields=["experiment", "position"], name="one_variant_a_position"),
            models.CheckConstraint(condition=Q(weight__gt=0), name="weight_above_zero"),
            models.CheckConstraint(condition=Q(position__gte=0, position__lte=9), name="position_in_range"),
        ]

    @property
    def letter(self) -> str:
        return "ABCDEFGHIJ"[self.position]


class Tally(models.Model):
    """Sufficient statistics: units first exposed on a day in a variant, and how many of them converted."""

    variant = models.ForeignKey(Variant, on_delete=models.CASCADE, related_name="tallies")
    day = models.DateField()
    units = models.PositiveBigIntegerField()
    conversions = models.PositiveBigIntegerField()

    class Meta:
        ordering = ["day"]
        constraints = [
            models.UniqueConstraint(fields=["variant", "day"], name="one_tally_a_day"),
            models.CheckConstraint(condition=Q(conversions__lte=F("units")), name="conversions_within_units"),
        ]


class LedgerEntry(models.Model):
    """Who did what, when. Append-only: the database refuses a change or a removal (migration 0003)."""

    experiment = models.ForeignKey(Experiment, on_delete=models.PROTECT, related_name="ledger")
    at = models.DateTimeField(default=clock.now)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    verb = models.CharField(max_length=30)
    sentence = models.CharField(max_length=500)
    detail = models.JSONField(default=dict)

    class Meta:
        ordering = ["-at", "-id"]
