"""What outlives an experiment: what was learnt of it, and what still has to be done."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from neat_verdict.app.experiments.models import Experiment


class Lesson(models.Model):
    """What was learnt, and why we think it came out so; both in a person's words."""

    experiment = models.OneToOneField(Experiment, on_delete=models.CASCADE, related_name="lesson")
    learnt = models.TextField(blank=True, default="")
    why = models.TextField(blank=True, default="")


class Place(models.Model):
    """A place that somebody must change by hand after the verdict: a page, a mail, a price list."""

    experiment = models.ForeignKey(Experiment, on_delete=models.CASCADE, related_name="places")
    position = models.PositiveSmallIntegerField(default=0)
    text = models.CharField(max_length=200)
    who = models.CharField(max_length=80, blank=True, default="")
    done_at = models.DateTimeField(null=True, blank=True)
    done_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, blank=True, on_delete=models.PROTECT, related_name="+"
    )

    class Meta:
        ordering = ["position", "id"]
