"""What came in: events, files, and how much of them when."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from neat_verdict.app import clock
from neat_verdict.app.experiments.models import Experiment, Variant
from neat_verdict.app.metrics.models import Metric
from neat_verdict.core.metrics import PAGE_CHANGE_FAILED, PAGE_REACHED


class Import(models.Model):
    """A file or a typed grid whose counts were stored, known by its digest."""

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


class Event(models.Model):
    """Something a unit did, as it was sent. ``sent_id`` is the sender's own; the same one counts once.

    ``at`` and ``received`` are milliseconds since 1970. An exposure (``name`` "exposure") names its experiment and the letter
    that was shown; so does one that says that the page of a variant was reached. ``held`` marks one that claims to lie in the
    future; it counts once its moment has come.
    """

    sent_id = models.CharField(max_length=100, unique=True)
    unit = models.CharField(max_length=200)
    name = models.CharField(max_length=80)
    at = models.BigIntegerField()
    received = models.BigIntegerField()
    experiment = models.CharField(max_length=80, default="")
    letter = models.CharField(max_length=20, default="")
    forced = models.BooleanField(default=False)
    held = models.BooleanField(default=False)
    properties = models.JSONField(default=dict)

    class Meta:
        indexes = [
            models.Index(fields=["unit", "name"], name="events_of_a_unit"),
            models.Index(fields=["at"], name="held_events", condition=models.Q(held=True)),
            models.Index(
                fields=["experiment", "unit"], name="units_that_reached", condition=models.Q(name=PAGE_REACHED)
            ),
            models.Index(fields=["experiment"], name="failed_changes", condition=models.Q(name=PAGE_CHANGE_FAILED)),
        ]


class Retention(models.Model):
    """How long events stay in the database before they are put away (`archive`), and how long anything by the ids of units is
    kept at all, in days; null: as long as there is room. One row.

    Events timed before ``put_away_until`` (milliseconds since 1970) are not taken in any more; ``tended_at`` is when it was last
    seen to.
    """

    days_of_events = models.PositiveIntegerField(null=True, blank=True)
    days_of_ids = models.PositiveIntegerField(null=True, blank=True)
    put_away_until = models.BigIntegerField(default=0)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, blank=True, related_name="+")
    tended_at = models.DateTimeField(null=True, blank=True)


class BusyUnit(models.Model):
    """A unit with so many events (`events.BUSY_FROM`) that it is counted again once a minute, not with each further one.

    ``since`` is when the first event came that is not counted yet, in milliseconds since 1970, null where all are; ``marks``
    grows with each batch that brings one.
    """

    unit = models.CharField(max_length=200, primary_key=True)
    since = models.BigIntegerField(null=True)
    marks = models.PositiveBigIntegerField(default=0)


class FileUnits(models.Model):
    """Which units a file brought of a variant and day, as hashes (`unit_files.UNIT_HASH`, little-endian), for which metrics.

    ``every``: of the hashes of a large file only those are kept that it divides. ``name`` is the file's.
    """

    variant = models.ForeignKey(Variant, on_delete=models.CASCADE, related_name="file_units")
    round = models.PositiveSmallIntegerField()
    day = models.DateField()
    metrics = models.JSONField()
    every = models.PositiveIntegerField(default=1)
    hashes = models.BinaryField()
    name = models.CharField(max_length=200)

    class Meta:
        indexes = [models.Index(fields=["variant", "round", "day"], name="units_of_files")]


class Sighting(models.Model):
    """What has been seen, when last and how often: an event name, a variant of an experiment ("key/B"), or exposures before the
    start of a round ("key/2")."""

    kind = models.CharField(max_length=10)
    name = models.CharField(max_length=110)
    last_at = models.BigIntegerField()
    times = models.PositiveBigIntegerField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["kind", "name"], name="a_sighting_once")]


class Intake(models.Model):
    """What came in within an hour of the clock (``hour``: hours since 1970), added up over batches."""

    hour = models.PositiveIntegerField(unique=True)
    batches = models.PositiveBigIntegerField(default=0)
    events = models.PositiveBigIntegerField(default=0)
    duplicates = models.PositiveBigIntegerField(default=0)
    late = models.PositiveBigIntegerField(default=0)
    held = models.PositiveBigIntegerField(default=0)
    unexposed = models.PositiveBigIntegerField(default=0)


class Arrival(models.Model):
    """First exposures by variant and hour (hours since 1970): `recount.ARRIVAL_COLUMNS`."""

    variant = models.ForeignKey(Variant, on_delete=models.CASCADE, related_name="arrivals")
    round = models.PositiveSmallIntegerField()
    hour = models.PositiveIntegerField()
    units = models.PositiveBigIntegerField(default=0)
    mixed = models.PositiveBigIntegerField(default=0)
    several = models.PositiveBigIntegerField(default=0)
    across = models.PositiveBigIntegerField(default=0)
    never_counted = models.PositiveBigIntegerField(default=0)
    with_another = models.PositiveBigIntegerField(default=0)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["variant", "round", "hour"], name="one_arrival_an_hour")]
