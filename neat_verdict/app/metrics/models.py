"""The metric library. A definition never changes: an edit makes a new version beside it."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.db.models.functions import Lower

from neat_verdict.app import clock


class Metric(models.Model):
    """What a metric is called; what it counts is in its versions."""

    key = models.SlugField(max_length=80, unique=True)
    name = models.CharField(max_length=80)
    description = models.TextField(blank=True, default="")
    created_at = models.DateTimeField(default=clock.now)

    class Meta:
        ordering = [Lower("name")]
        constraints = [models.UniqueConstraint(Lower("name"), name="one_metric_a_name")]

    def __str__(self) -> str:
        return self.name

    @property
    def latest(self) -> MetricVersion:
        """The version that new experiments take. Versions must be loaded in order, or are asked for."""
        return list(self.versions.all())[-1]


class MetricVersion(models.Model):
    """A definition, as `core.metrics.Definition` reads it (see `definition_of`)."""

    metric = models.ForeignKey(Metric, on_delete=models.CASCADE, related_name="versions")
    number = models.PositiveIntegerField()
    definition = models.JSONField()
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField(default=clock.now)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["metric", "number"], name="one_version_a_number")]
