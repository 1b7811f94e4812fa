"""The ledger."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from neat_verdict.app import clock
from neat_verdict.app.experiments.models.experiment import Experiment


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
