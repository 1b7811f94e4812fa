"""What was counted and spent, in sums by day."""

from __future__ import annotations

from django.db import models
from django.db.models import F, Q

from neat_verdict.app import clock
from neat_verdict.app.experiments.models.experiment import Experiment
from neat_verdict.app.experiments.models.variants import Variant
from neat_verdict.app.metrics.models import Metric


class Tally(models.Model):
    """Sufficient statistics of a metric for the units first exposed on a day in a variant (see `core.metrics.tallying`).

    ``total`` is the number of conversions of a rate, the sum of a mean, the numerator of a ratio; ``second_total`` the
    denominator of a ratio, or the sum of what units of a mean came to before their first exposure; ``steps`` the units that
    reached each step, ``capped`` those that reached the metric's cap (null where that was not counted).
    ``cubes``, ``squares_cross``, ``cross_squares`` and ``second_cubes`` are the sums of third order of both values y and x: y³,
    y²x, yx² and x³, null where they are not known.
    ``totals_only`` says that the sums of second order of a mean or ratio are not known, and null.
    ``segment`` is empty for everybody, otherwise what the units had in common at first exposure ("device=phone").
    ``exact`` holds the sums of tallies made of events as whole numbers, in millionths (squares in millionths of millionths, cubes
    in millionths of those), so that adding and taking away leaves no trace; it is null for sums that came in as such, and of sums
    of third order where the rest was counted before they were kept.
    """

    # Without indexes of their own: the key below begins with both, and SQLite would take the worse one for millions of rows.
    variant = models.ForeignKey(Variant, on_delete=models.CASCADE, related_name="tallies", db_index=False)
    metric = models.ForeignKey(Metric, on_delete=models.PROTECT, related_name="tallies", db_index=False)
    round = models.PositiveSmallIntegerField(default=1)
    segment = models.CharField(max_length=200, blank=True, default="")
    day = models.DateField()
    # How many days it is of, the last of them ``day``; more than one where only totals of weeks, or of all, were known.
    days = models.PositiveSmallIntegerField(default=1, db_default=1)
    units = models.PositiveBigIntegerField()
    total = models.FloatField()
    squares = models.FloatField(null=True)
    second_total = models.FloatField(null=True)
    second_squares = models.FloatField(null=True)
    cross = models.FloatField(null=True)
    cubes = models.FloatField(null=True)
    squares_cross = models.FloatField(null=True)
    cross_squares = models.FloatField(null=True)
    second_cubes = models.FloatField(null=True)
    steps = models.JSONField(null=True)
    capped = models.PositiveBigIntegerField(null=True)
    totals_only = models.BooleanField(default=False, db_default=False)
    exact = models.JSONField(null=True)

    class Meta:
        ordering = ["day"]
        # Every batch of events asks which metrics came in by file: of those that take events, none.
        indexes = [
            models.Index(
                fields=["variant", "metric", "round"],
                name="tallies_by_file",
                condition=Q(exact__isnull=True, segment=""),
            )
        ]
        constraints = [
            models.UniqueConstraint(fields=["variant", "metric", "round", "segment", "day"], name="one_tally_a_day"),
            models.CheckConstraint(
                condition=Q(squares__isnull=False) | Q(totals_only=True) | Q(total__gte=0, total__lte=F("units")),
                name="conversions_within_units",
            ),
        ]


class DataRevision(models.Model):
    """How often what is counted of an experiment has changed by events (`experiments.stamps`)."""

    experiment = models.OneToOneField(Experiment, on_delete=models.CASCADE, primary_key=True, related_name="revision")
    number = models.PositiveBigIntegerField(default=0)


class KeptValues(models.Model):
    """A property, or several together, with more values than are tallied apart (`experiments.ceilings`): the segments that stay,
    and how many there were when that was decided."""

    experiment = models.ForeignKey(Experiment, on_delete=models.CASCADE, related_name="kept_values")
    round = models.PositiveSmallIntegerField()
    names = models.JSONField()
    segments = models.JSONField()
    seen = models.PositiveIntegerField()
    at = models.DateTimeField(default=clock.now)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["experiment", "round", "names"], name="values_kept_once")]


class SecondTally(models.Model):
    """What another system counted of a variant on a day, beside our own count, never instead of it; null where it does not say.

    ``source`` is the system's name. The sums have the names of `core.soundness.Quantity`.
    """

    variant = models.ForeignKey(Variant, on_delete=models.CASCADE, related_name="second_tallies")
    round = models.PositiveSmallIntegerField(default=1)
    source = models.CharField(max_length=40)
    day = models.DateField()
    units = models.FloatField(null=True)
    conversions = models.FloatField(null=True)
    amount = models.FloatField(null=True)
    cost = models.FloatField(null=True)

    class Meta:
        ordering = ["source", "day"]
        constraints = [
            models.UniqueConstraint(fields=["variant", "round", "source", "day"], name="one_second_tally_a_day")
        ]


class Spend(models.Model):
    """What a variant cost on a day, and how often it was shown, where that is known in sums only (advertising, mailings).

    ``currency`` is three letters (ISO 4217), the same for all of an experiment; "" where cost came in before it was asked for.
    """

    variant = models.ForeignKey(Variant, on_delete=models.CASCADE, related_name="spend")
    round = models.PositiveSmallIntegerField(default=1)
    day = models.DateField()
    cost = models.FloatField(default=0.0)
    impressions = models.FloatField(default=0.0)
    currency = models.CharField(max_length=3, blank=True, default="")

    class Meta:
        ordering = ["day"]
        constraints = [
            models.UniqueConstraint(fields=["variant", "round", "day"], name="one_spend_a_day"),
            models.CheckConstraint(condition=Q(cost__gte=0, impressions__gte=0), name="spend_not_negative"),
        ]
