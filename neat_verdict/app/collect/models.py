"""Files that were brought in."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from neat_verdict.app import clock
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.metrics.models import Metric


class Import(models.Model):
    """A file or a typed grid whose counts were stored, told by its digest."""

    experiment = models.ForeignKey(Experiment, on_delete=models.PROTECT, related_name="imports")
    metric = models.ForeignKey(Metric, on_delete=models.PROTECT, related_name="imports")
    at = models.DateTimeField(default=clock.now)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    name = models.CharField(max_length=200)
    digest = models.CharField(max_length=64)
    rows = models.PositiveIntegerField()
    left_out = models.PositiveIntegerField(default=0)
    added = models.PositiveIntegerField()
    changed = models.PositiveIntegerField()

    class Meta:
        ordering = ["-at", "-id"]
