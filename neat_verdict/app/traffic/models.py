"""Audiences for reuse, and which unit has been seen in which variant."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from neat_verdict.app import clock
from neat_verdict.app.experiments.models import Experiment, Variant


class SavedAudience(models.Model):
    """Rules to be used in several experiments; an experiment takes a copy, so that editing one here moves nobody."""

    name = models.CharField(max_length=80, unique=True)
    description = models.CharField(max_length=300, blank=True, default="")
    groups = models.JSONField(default=list)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField(default=clock.now)

    class Meta:
        ordering = ["name"]


class Enrolment(models.Model):
    """A unit that was exposed in a round: its variant at the first exposure, and what it comes to so far.

    ``first_at`` is in milliseconds since 1970; ``segments`` what the unit is tallied under; ``values`` its figure by the metric's
    id ([value] or [value, denominator]); ``mixed`` that it was seen in another variant too.
    """

    unit = models.CharField(max_length=200)
    experiment = models.ForeignKey(Experiment, on_delete=models.CASCADE, related_name="enrolments", db_index=False)
    round = models.PositiveSmallIntegerField()
    variant = models.ForeignKey(Variant, on_delete=models.CASCADE, related_name="+", db_index=False)
    first_at = models.BigIntegerField()
    segments = models.JSONField(default=list)
    values = models.JSONField(default=dict)
    mixed = models.BooleanField(default=False)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["unit", "experiment", "round"], name="a_unit_once_a_round")]
