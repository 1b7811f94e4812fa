"""What was counted where the data live: days that came from there, the runs that brought them, and who is still to be erased
there."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from neat_verdict.app import clock
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.people.models import MachineKey


class ReducedDay(models.Model):
    """A day of an experiment's round whose tallies came as a batch. ``until`` is up to when data were looked at, in milliseconds
    since 1970; ``plan`` and ``digest`` as in `reduction.batches.DayBatch`."""

    experiment = models.ForeignKey(Experiment, on_delete=models.CASCADE, related_name="reduced_days")
    round = models.PositiveSmallIntegerField()
    day = models.DateField()
    plan = models.CharField(max_length=32)
    digest = models.CharField(max_length=32)
    until = models.BigIntegerField()
    units = models.PositiveBigIntegerField()
    at = models.DateTimeField(default=clock.now)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["experiment", "round", "day"], name="a_day_reduced_once")]


class ReductionRun(models.Model):
    """A run that came to its end: what it looked at and what it changed."""

    experiment = models.ForeignKey(Experiment, on_delete=models.CASCADE, related_name="reduction_runs")
    round = models.PositiveSmallIntegerField()
    key = models.ForeignKey(MachineKey, on_delete=models.PROTECT, related_name="+")
    plan = models.CharField(max_length=32)
    engine = models.CharField(max_length=40)
    until = models.BigIntegerField()
    days = models.PositiveIntegerField()
    changed = models.PositiveIntegerField()
    units = models.PositiveBigIntegerField()
    seconds = models.FloatField()
    at = models.DateTimeField(default=clock.now)

    class Meta:
        ordering = ["-at", "-id"]


class Forgotten(models.Model):
    """A person who was forgotten here. ``ids`` are kept until they are erased where the data live too (``erased_there_at``), and
    then no more: what stays is that it was done, by whom and when."""

    at = models.DateTimeField(default=clock.now)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    ids = models.JSONField(default=list)
    events = models.PositiveIntegerField()
    experiments = models.PositiveIntegerField()
    erased_there_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["-at", "-id"]
