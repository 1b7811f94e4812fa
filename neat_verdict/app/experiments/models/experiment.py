"""An experiment with its metrics and its earlier rounds."""

from __future__ import annotations

from typing import Any, Literal

from django.core.serializers.json import DjangoJSONEncoder
from django.db import models
from django.db.models import Q

from neat_verdict.app.experiments.models.parts import (
    DELIVERY_CONSTRAINTS,
    PLAN_CONSTRAINTS,
    SCHEDULE_CONSTRAINTS,
    Decided,
    Delivered,
    Identity,
    Planned,
    Scheduled,
)
from neat_verdict.app.metrics.models import Metric, MetricVersion
from neat_verdict.core.metrics import Kind, Tallying, kind_named

ROLES = ["primary", "secondary", "guardrail", "goal", "exploratory"]
GUARDING = ["guardrail", "goal"]  # those that a winner hangs on beside the metric that decides


class Experiment(Identity, Planned, Delivered, Scheduled, Decided):
    """A brief, a size and a rule. The rule is a copy that is made at the start and never changes after.

    ``round_of`` is the key of the experiment whose closed round this is (`rounds.in_round`); "" of one that is stored.
    """

    round_of = ""

    class Meta:
        constraints = [*PLAN_CONSTRAINTS, *DELIVERY_CONSTRAINTS, *SCHEDULE_CONSTRAINTS]
        # All that `traffic.serving` asks before every assignment and batch, apart from the rows, which are wide.
        indexes = [
            models.Index(fields=["data_from", "state", "holds_units", "version", "epoch"], name="what_is_served")
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

    ``margin`` is the harm that a guardrail allows, and the change of a goal that it is planned to show.
    ``baseline`` and ``standard_deviation`` serve the sizing of guardrails and goals; the deciding one has the experiment’s.
    ``before_days`` is how long before its first exposure a unit is looked at to adjust what came after; None for not at all.
    ``added_at`` is when a metric was added after the start: it is exploratory, and never a part of the rule.
    ``strata`` is the property at first exposure by which a rate is post-stratified; "" for none.
    """

    experiment = models.ForeignKey(Experiment, on_delete=models.CASCADE, related_name="metrics")
    metric = models.ForeignKey(Metric, on_delete=models.PROTECT, related_name="uses")
    version = models.ForeignKey(MetricVersion, null=True, blank=True, on_delete=models.PROTECT, related_name="uses")
    role = models.CharField(max_length=11)
    position = models.PositiveSmallIntegerField(default=0)
    margin = models.FloatField(null=True, blank=True)
    baseline = models.FloatField(null=True, blank=True)
    standard_deviation = models.FloatField(null=True, blank=True)
    before_days = models.PositiveSmallIntegerField(null=True, blank=True)
    # Which way is good in this experiment; "" for as the library has it.
    direction = models.CharField(max_length=4, blank=True, default="")
    strata = models.CharField(max_length=80, blank=True, default="")
    added_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["position"]
        constraints = [
            models.UniqueConstraint(fields=["experiment", "metric"], name="a_metric_once"),
            models.UniqueConstraint(fields=["experiment"], condition=Q(role="primary"), name="one_metric_decides"),
            models.CheckConstraint(condition=Q(role__in=ROLES), name="metric_role_known"),
            models.CheckConstraint(condition=~Q(role__in=GUARDING) | Q(margin__gt=0), name="guardrails_have_margins"),
        ]

    @property
    def definition(self) -> dict[str, Any]:
        """Of the version that counts here, with the direction that is good here."""
        definition = (self.version or self.metric.latest).definition
        return {**definition, "good_direction": self.direction} if self.direction else definition

    @property
    def kind(self) -> Kind:
        """What kind of metric it is."""
        return kind_named(self.definition["kind"])

    @property
    def tallying(self) -> Tallying:
        """How its units are tallied."""
        return self.kind.tallying(self.before_days)


class Round(models.Model):
    """An earlier round of an experiment that was run again; its tallies stay under its number.

    ``kept`` is all of it as it was when it was closed (`rounds.snapshot`); null of rounds closed before that was kept.
    """

    experiment = models.ForeignKey(Experiment, on_delete=models.CASCADE, related_name="rounds")
    number = models.PositiveSmallIntegerField()
    started_on = models.DateField()
    ended_on = models.DateField()
    rule = models.JSONField()
    kept = models.JSONField(null=True, blank=True, encoder=DjangoJSONEncoder)
    closed_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["experiment", "number"], name="a_round_once")]
