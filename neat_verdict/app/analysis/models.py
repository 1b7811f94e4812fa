"""Looks that were taken, stored as they were, and sets of segments that are read together."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from neat_verdict.app import clock
from neat_verdict.app.experiments.models import Experiment


class StoredLook(models.Model):
    """A scheduled reading of the data (of a rule that reads once its only one), with the counts it rests on.

    What comes in later does not change it. It can be set aside for a reason, when its data were wrong; it then stays on record.
    ``by`` is empty where the scheduler took it. ``counts`` has the days and sums of the metric that decides, and the totals
    of the others by their ids; ``record`` is the analysis as `record.as_stored` writes it.
    """

    experiment = models.ForeignKey(Experiment, on_delete=models.CASCADE, related_name="looks_taken")
    round = models.PositiveSmallIntegerField()
    number = models.PositiveSmallIntegerField()
    day = models.DateField()
    taken_at = models.DateTimeField(default=clock.now)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, blank=True, on_delete=models.PROTECT, related_name="+")
    counts = models.JSONField()
    record = models.JSONField()
    set_aside_at = models.DateTimeField(null=True, blank=True)
    set_aside_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, blank=True, on_delete=models.PROTECT, related_name="+"
    )
    set_aside_because = models.CharField(max_length=400, blank=True, default="")

    class Meta:
        ordering = ["round", "number", "id"]
        constraints = [
            models.UniqueConstraint(
                fields=["experiment", "round", "number"],
                condition=models.Q(set_aside_at__isnull=True),
                name="a_look_is_taken_once",
            )
        ]


class Summary(models.Model):
    """How an experiment stood when the scheduler read it last, as lists show it.

    ``edits`` and ``data`` are its stamp then (`experiments.stamps`), ``hour`` the workspace's; where all are the same, nothing is
    to be read again. ``row`` is null where it could not be read.
    """

    experiment = models.OneToOneField(Experiment, on_delete=models.CASCADE, primary_key=True, related_name="summary")
    edits = models.CharField(max_length=80)
    data = models.CharField(max_length=40)
    hour = models.CharField(max_length=13)
    at = models.DateTimeField()
    row = models.JSONField(null=True)


class SegmentSet(models.Model):
    """Segments of a property that are read together, by a name."""

    name = models.CharField(max_length=80, unique=True)
    by = models.CharField(max_length=170)
    values = models.JSONField(default=list)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")

    class Meta:
        ordering = ["name"]
