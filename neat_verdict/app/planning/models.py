"""Forecasts, sealed until the decision; rehearsals and A/A tests on past units, with what came of them."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.db.models import F, Q

from neat_verdict.app import clock
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.metrics.models import Metric


class Forecast(models.Model):
    """One person's guess of the lift of a variant against control, with a range they are 80 % sure of."""

    experiment = models.ForeignKey(Experiment, on_delete=models.CASCADE, related_name="forecasts")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    lift = models.FloatField()
    low = models.FloatField()
    high = models.FloatField()
    note = models.CharField(max_length=300, blank=True, default="")
    at = models.DateTimeField(default=clock.now)

    class Meta:
        ordering = ["at"]
        constraints = [
            models.UniqueConstraint(fields=["experiment", "by"], name="one_forecast_a_person"),
            models.CheckConstraint(condition=Q(low__lte=F("lift"), high__gte=F("lift")), name="forecast_within_range"),
        ]


class BackgroundWork(models.Model):
    """Work that is done in the background: how far it is, when it was last heard of, and what came of it."""

    class State(models.TextChoices):
        RUNNING = "running"
        DONE = "done"
        CANCELLED = "cancelled"
        FAILED = "failed"

    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(default=clock.now)
    seed = models.PositiveIntegerField()
    state = models.CharField(max_length=10, choices=State.choices, default=State.RUNNING)
    progress = models.FloatField(default=0.0)
    heard_at = models.DateTimeField(default=clock.now)
    problem = models.CharField(max_length=500, blank=True, default="")
    result = models.JSONField(null=True, blank=True)

    class Meta:
        abstract = True
        ordering = ["-id"]


class AATest(BackgroundWork):
    """A metric tried on the workspace's own past units, split at random by ``shares`` (control, variant) ``splits`` times."""

    metric = models.ForeignKey(Metric, on_delete=models.CASCADE, related_name="aa_tests")
    splits = models.PositiveIntegerField()
    shares = models.JSONField()
    confidence = models.FloatField()

    class Meta(BackgroundWork.Meta):
        constraints = [
            models.UniqueConstraint(fields=["metric"], condition=Q(state="running"), name="one_aa_test_at_a_time")
        ]


class Rehearsal(BackgroundWork):
    """A plan rehearsed in the background. ``asked`` is what was rehearsed; a plan that differs by now makes it stale.

    Of kind "allocation" it holds the even split against the policy, in a world with the lifts and the drift of ``settings``.
    """

    experiment = models.ForeignKey(Experiment, on_delete=models.CASCADE, related_name="rehearsals")
    kind = models.CharField(max_length=10, default="plan")
    settings = models.JSONField(default=dict)
    runs = models.PositiveIntegerField()
    own_lift = models.FloatField(null=True, blank=True)
    asked = models.CharField(max_length=64)

    class Meta(BackgroundWork.Meta):
        constraints = [
            models.UniqueConstraint(
                fields=["experiment"], condition=Q(state="running"), name="one_rehearsal_at_a_time"
            ),
            models.CheckConstraint(condition=Q(kind__in=["plan", "allocation"]), name="rehearsal_kind_known"),
        ]
