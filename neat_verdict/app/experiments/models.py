"""Experiments, their variants, and the ledger of what was done to them."""

from __future__ import annotations

from typing import Any, Literal

from django.conf import settings
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models
from django.db.models import F, Q

from neat_verdict.app import clock
from neat_verdict.app.metrics.models import Metric, MetricVersion
from neat_verdict.core.methods import DEFAULT_METHOD
from neat_verdict.core.metrics import Kind, Tallying, kind_named
from neat_verdict.core.variants import LETTERS


class Workspace(models.Model):
    """One row: the organisation whose experiments these are."""

    name = models.CharField(max_length=120, default="Your workspace")
    time_zone = models.CharField(max_length=64, default="UTC")
    longest_run_weeks = models.PositiveSmallIntegerField(default=13)
    # Properties at first exposure that tallies are kept by: each line one property, or two that are crossed.
    segments = models.JSONField(default=list, blank=True)

    def __str__(self) -> str:
        return self.name


class Experiment(models.Model):
    """A brief, a size and a rule. The rule is a copy that is made at the start and never changes after."""

    class State(models.TextChoices):
        DRAFT = "draft"
        SCHEDULED = "scheduled"
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
    unit_name = models.CharField(max_length=40, default="visitors")

    baseline = models.FloatField(null=True, blank=True)
    standard_deviation = models.FloatField(null=True, blank=True)
    correlation = models.FloatField(default=0.0)
    worthwhile_lift = models.FloatField(default=0.05)
    audience_per_day = models.PositiveIntegerField(null=True, blank=True)
    participation = models.FloatField(default=1.0)
    ramp = models.JSONField(default=list, blank=True)
    data_from = models.CharField(max_length=10, default="files")
    assignment_unit = models.CharField(max_length=10, default="visitor")
    audience_rules = models.JSONField(default=list, blank=True)
    forced = models.JSONField(default=dict, blank=True)
    exclusion_group = models.CharField(max_length=60, blank=True, default="")
    exclusion_share = models.FloatField(default=1.0)
    slice_start = models.FloatField(null=True, blank=True)
    slice_end = models.FloatField(null=True, blank=True)
    confidence = models.FloatField(default=0.95)
    power = models.FloatField(default=0.8)
    least_weeks = models.PositiveSmallIntegerField(default=2)
    least_conversions = models.PositiveIntegerField(default=50)
    planned_start = models.DateField(null=True, blank=True)
    longest_run_weeks = models.PositiveSmallIntegerField(null=True, blank=True)

    method = models.CharField(max_length=30, default=DEFAULT_METHOD.name)
    # The settings of the method, by name (`core.methods`).
    method_settings = models.JSONField(default=dict, blank=True)
    family = models.CharField(max_length=20, default="holm")
    warm_up_days = models.PositiveSmallIntegerField(default=0)
    # How traffic follows the evidence (`allocation.AllocationIO`); null for a fixed split.
    allocation = models.JSONField(null=True, blank=True)
    # What the next epoch's shares do: follow the policy, stay as they are (frozen), or stay even.
    allocation_mode = models.CharField(max_length=10, default="follow")
    epoch = models.PositiveIntegerField(default=0)

    rule = models.JSONField(null=True, blank=True)
    rule_locked_at = models.DateTimeField(null=True, blank=True)
    rule_changes = models.JSONField(default=list, blank=True)
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
            models.CheckConstraint(condition=Q(baseline__isnull=True) | Q(baseline__gt=0), name="baseline_above_zero"),
            models.CheckConstraint(
                condition=Q(standard_deviation__isnull=True) | Q(standard_deviation__gt=0),
                name="standard_deviation_above_zero",
            ),
            models.CheckConstraint(condition=Q(correlation__gte=0, correlation__lt=1), name="correlation_in_range"),
            models.CheckConstraint(condition=Q(worthwhile_lift__gt=0), name="worthwhile_lift_above_zero"),
            models.CheckConstraint(condition=Q(participation__gt=0, participation__lte=1), name="participation_share"),
            models.CheckConstraint(condition=Q(confidence__gt=0, confidence__lt=1), name="confidence_share"),
            models.CheckConstraint(condition=Q(power__gt=0, power__lt=1), name="power_share"),
            models.CheckConstraint(
                condition=Q(state__in=["draft", "scheduled", "archived"]) | Q(rule__isnull=False),
                name="rule_locked_once_started",
            ),
            models.CheckConstraint(
                condition=~Q(state="scheduled") | Q(starts_at__isnull=False, scheduled_by__isnull=False),
                name="a_scheduled_start_has_its_time",
            ),
            models.CheckConstraint(condition=Q(data_from__in=["files", "events"]), name="data_from_known"),
            models.CheckConstraint(condition=Q(family__in=["holm", "benjamini_hochberg"]), name="family_known"),
            models.CheckConstraint(
                condition=Q(assignment_unit__in=["visitor", "account", "request"]), name="assignment_unit_known"
            ),
            models.CheckConstraint(
                condition=Q(allocation_mode__in=["follow", "frozen", "even"]), name="allocation_mode_known"
            ),
            models.CheckConstraint(
                condition=Q(exclusion_share__gt=0, exclusion_share__lte=1), name="exclusion_share_is_a_share"
            ),
        ]

    def __str__(self) -> str:
        return self.name

    @property
    def primary(self) -> ExperimentMetric | None:
        """The metric that decides."""
        return next((use for use in self.metrics.all() if use.role == "primary"), None)

    @property
    def metric(self) -> str:
        """Name of the metric that decides, empty while there is none."""
        return self.primary.metric.name if self.primary else ""

    @property
    def good_direction(self) -> Literal["up", "down"]:
        """Of the metric that decides."""
        return "down" if self.primary and self.primary.definition["good_direction"] == "down" else "up"


class ExperimentMetric(models.Model):
    """A metric's part in an experiment. ``version`` is set at the start; a draft follows the latest.

    ``baseline`` and ``standard_deviation`` serve the sizing of guardrails; the deciding metric's are the experiment's own.
    ``before_days`` is how long before its first exposure a unit is looked at to adjust what came after; None for not at all.
    """

    experiment = models.ForeignKey(Experiment, on_delete=models.CASCADE, related_name="metrics")
    metric = models.ForeignKey(Metric, on_delete=models.PROTECT, related_name="uses")
    version = models.ForeignKey(MetricVersion, null=True, blank=True, on_delete=models.PROTECT, related_name="uses")
    role = models.CharField(max_length=10)
    position = models.PositiveSmallIntegerField(default=0)
    margin = models.FloatField(null=True, blank=True)
    baseline = models.FloatField(null=True, blank=True)
    standard_deviation = models.FloatField(null=True, blank=True)
    before_days = models.PositiveSmallIntegerField(null=True, blank=True)

    class Meta:
        ordering = ["position"]
        constraints = [
            models.UniqueConstraint(fields=["experiment", "metric"], name="a_metric_once"),
            models.UniqueConstraint(fields=["experiment"], condition=Q(role="primary"), name="one_metric_decides"),
            models.CheckConstraint(
                condition=Q(role__in=["primary", "secondary", "guardrail"]), name="metric_role_known"
            ),
            models.CheckConstraint(condition=~Q(role="guardrail") | Q(margin__gt=0), name="guardrails_have_margins"),
        ]

    @property
    def definition(self) -> dict[str, Any]:
        """Of the version that counts here."""
        return (self.version or self.metric.latest).definition

    @property
    def kind(self) -> Kind:
        """What kind of metric it is."""
        return kind_named(self.definition["kind"])

    @property
    def tallying(self) -> Tallying:
        """How its units are tallied."""
        return self.kind.tallying(self.before_days)


class Variant(models.Model):
    """An arm. Position 0 is control."""

    experiment = models.ForeignKey(Experiment, on_delete=models.CASCADE, related_name="variants")
    position = models.PositiveSmallIntegerField(validators=[MinValueValidator(0), MaxValueValidator(9)])
    name = models.CharField(max_length=80)
    changes = models.JSONField(default=list, blank=True)
    parameters = models.JSONField(default=list, blank=True)
    link = models.CharField(max_length=500, blank=True, default="")
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
        return LETTERS[self.position]


class Picture(models.Model):
    """What a variant looks like. The file is ours: drawn again from what was sent, without its metadata."""

    variant = models.ForeignKey(Variant, on_delete=models.CASCADE, related_name="pictures")
    image = models.FileField(upload_to="pictures/")
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    caption = models.CharField(max_length=200, blank=True, default="")

    class Meta:
        ordering = ["id"]


class Round(models.Model):
    """An earlier round of an experiment that was run again; its tallies stay under its number."""

    experiment = models.ForeignKey(Experiment, on_delete=models.CASCADE, related_name="rounds")
    number = models.PositiveSmallIntegerField()
    started_on = models.DateField()
    ended_on = models.DateField()
    rule = models.JSONField()

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["experiment", "number"], name="a_round_once")]


class Tally(models.Model):
    """Sufficient statistics of a metric for the units first exposed on a day in a variant (see `core.metrics.tallying`).

    ``total`` is the number of conversions of a rate, the sum of a mean, the numerator of a ratio; ``second_total`` the
    denominator of a ratio, or the sum of what units of a mean came to before their first exposure; ``steps`` the units that
    reached each step of a funnel, ``capped`` those that reached the metric's cap (null where that was not counted).
    ``segment`` is empty for everybody, otherwise what the units had in common at first exposure ("device=phone").
    ``exact`` holds the sums of tallies made of events as whole numbers, in millionths (squares in millionths
    of millionths), so that adding and taking away leaves no trace; it is null for sums that came in as such.
    """

    variant = models.ForeignKey(Variant, on_delete=models.CASCADE, related_name="tallies")
    metric = models.ForeignKey(Metric, on_delete=models.PROTECT, related_name="tallies")
    round = models.PositiveSmallIntegerField(default=1)
    segment = models.CharField(max_length=200, blank=True, default="")
    day = models.DateField()
    units = models.PositiveBigIntegerField()
    total = models.FloatField()
    squares = models.FloatField(null=True)
    second_total = models.FloatField(null=True)
    second_squares = models.FloatField(null=True)
    cross = models.FloatField(null=True)
    steps = models.JSONField(null=True)
    capped = models.PositiveBigIntegerField(null=True)
    exact = models.JSONField(null=True)

    class Meta:
        ordering = ["day"]
        constraints = [
            models.UniqueConstraint(fields=["variant", "metric", "round", "segment", "day"], name="one_tally_a_day"),
            models.CheckConstraint(
                condition=Q(squares__isnull=False) | Q(total__gte=0, total__lte=F("units")),
                name="conversions_within_units",
            ),
        ]


class Spend(models.Model):
    """What a variant cost on a day, and how often it was shown, where that is known in sums only (advertising, mailings)."""

    variant = models.ForeignKey(Variant, on_delete=models.CASCADE, related_name="spend")
    round = models.PositiveSmallIntegerField(default=1)
    day = models.DateField()
    cost = models.FloatField(default=0.0)
    impressions = models.FloatField(default=0.0)

    class Meta:
        ordering = ["day"]
        constraints = [
            models.UniqueConstraint(fields=["variant", "round", "day"], name="one_spend_a_day"),
            models.CheckConstraint(condition=Q(cost__gte=0, impressions__gte=0), name="spend_not_negative"),
        ]


class LedgerEntry(models.Model):
    """Who did what, when. Append-only: the database refuses a change or a removal (migration 0002)."""

    experiment = models.ForeignKey(Experiment, on_delete=models.PROTECT, related_name="ledger")
    at = models.DateTimeField(default=clock.now)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    verb = models.CharField(max_length=30)
    sentence = models.CharField(max_length=500)
    detail = models.JSONField(default=dict)

    class Meta:
        ordering = ["-at", "-id"]
