"""The organisation."""

from __future__ import annotations

from django.db import models


class Workspace(models.Model):
    """One row: the organisation whose experiments these are."""

    name = models.CharField(max_length=120, default="Your workspace")
    time_zone = models.CharField(max_length=64, default="UTC")
    longest_run_weeks = models.PositiveSmallIntegerField(default=13)
    # Properties at first exposure that tallies are kept by: each line one property, or two that are crossed.
    segments = models.JSONField(default=list, blank=True)

    def __str__(self) -> str:
        return self.name
