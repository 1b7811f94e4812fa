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
    lake = models.CharField(max_length=80, blank=True, default="")  # empty: by a command from outside, with a key
    # Whether it changed since the last run that came to its end, and the units that it had then.
    changed = models.BooleanField(default=False)
    before = models.PositiveBigIntegerField(default=0)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["experiment", "round", "day"], name="a_day_reduced_once")]


class LakeSchedule(models.Model):
    """How often a lake is counted by itself: within each hour, or each day once the workspace's clock shows ``hour``."""

    class Every(models.TextChoices):
        NEVER = "never"
        HOUR = "hour"
        DAY = "day"

    lake = models.CharField(max_length=80, unique=True)
    every = models.CharField(max_length=5, choices=Every.choices, default=Every.NEVER)
    hour = models.PositiveSmallIntegerField(default=4)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    changed_at = models.DateTimeField(default=clock.now)

    class Meta:
        constraints = [models.CheckConstraint(condition=models.Q(hour__lt=24), name="hour_of_a_day")]


class LakeRun(models.Model):
    """A lake counted by the application: how far it is (``doing``), when it was last heard of, and what it came to by experiment
    (``counted``: fields of `reduction.runs.Counted`). ``planned`` where the schedule began it, in the name of who set that."""

    class State(models.TextChoices):
        RUNNING = "running"
        DONE = "done"
        FAILED = "failed"

    lake = models.CharField(max_length=80)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    planned = models.BooleanField(default=False)
    state = models.CharField(max_length=10, choices=State.choices, default=State.RUNNING)
    started_at = models.DateTimeField(default=clock.now)
    heard_at = models.DateTimeField(default=clock.now)
    ended_at = models.DateTimeField(null=True, blank=True)
    doing = models.CharField(max_length=200, blank=True, default="")
    rows = models.PositiveBigIntegerField(null=True, blank=True)
    counted = models.JSONField(default=list)
    problem = models.CharField(max_length=500, blank=True, default="")

    class Meta:
        ordering = ["-id"]
        constraints = [
            models.UniqueConstraint(
                fields=["lake"], condition=models.Q(state="running"), name="a_lake_counted_once_at_a_time"
            )
        ]


class ReductionRun(models.Model):
    """A run that came to its end: what it looked at and what it changed, from a command with a ``key`` or by the application.

    ``differences`` are the days that changed: [day, units before, units now].
    """

    experiment = models.ForeignKey(Experiment, on_delete=models.CASCADE, related_name="reduction_runs")
    round = models.PositiveSmallIntegerField()
    key = models.ForeignKey(MachineKey, on_delete=models.PROTECT, related_name="+", null=True, blank=True)
    lake_run = models.ForeignKey(LakeRun, on_delete=models.PROTECT, related_name="experiments", null=True, blank=True)
    differences = models.JSONField(default=list)
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
        constraints = [
            models.CheckConstraint(
                condition=models.Q(key__isnull=False) ^ models.Q(lake_run__isnull=False), name="counted_by_key_or_lake"
            )
        ]

    @property
    def counted_from(self) -> str:
        """By whose hand it was, in words: with a key from outside, or from a lake that the application counts."""
        return f"from the lake “{self.lake_run.lake}”" if self.lake_run else f"with the key “{_key(self).name}”"


def _key(run: ReductionRun) -> MachineKey:
    assert run.key is not None
    return run.key


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
