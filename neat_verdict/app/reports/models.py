"""Links by which people without an account read a report, or what an engineer needs."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from neat_verdict.app import clock
from neat_verdict.app.experiments.models import Experiment


class ReportLink(models.Model):
    """A read-only address of a report, or of what an engineer needs. It ends by itself and can be withdrawn; it is never
    removed."""

    class Kind(models.TextChoices):
        REPORT = "report"
        ENGINEER = "engineer"

    kind = models.CharField(max_length=8, choices=Kind.choices, default=Kind.REPORT)
    experiment = models.ForeignKey(Experiment, on_delete=models.CASCADE, related_name="report_links")
    # What its address ends with, drawn at random; of links that an older version made there is none, and their number is signed.
    secret = models.CharField(max_length=64, unique=True, null=True, blank=True)
    note = models.CharField(max_length=120, blank=True, default="")
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField(default=clock.now)
    expires_at = models.DateTimeField()
    withdrawn_at = models.DateTimeField(null=True, blank=True)
    opened = models.PositiveIntegerField(default=0)
    opened_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["-made_at", "-id"]
        constraints = [
            models.CheckConstraint(condition=models.Q(kind__in=["report", "engineer"]), name="kind_of_link_known")
        ]
