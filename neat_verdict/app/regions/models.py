"""A test by region: what is withheld and why it is tested, its past data, and its placebo tests."""

from __future__ import annotations

from django.db import models
from django.db.models import Q

from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.planning.models import BackgroundWork


def nothing() -> list[object]:
    return []


class RegionPlan(models.Model):
    """What an experiment by region has in addition to its brief.

    ``outcome`` is the column of past data that decides, ``groups`` the product groups that count ([] for all), ``break_even`` the
    outcome per unit of spend from which the spending pays. ``excluded`` regions stay out and ``must`` stay in, ``listed`` are
    pairs that somebody chose ([] where they are matched). ``pairs`` and ``weeks`` are the chosen design. ``lower`` and ``higher``
    are the levels of a graded test, as shares of the usual spend (null where spending is withheld). ``drawn`` are the cells by
    ``seed``, as [treated, control], of a graded test with the arm; null before the draw.
    """

    experiment = models.OneToOneField(Experiment, on_delete=models.CASCADE, related_name="region_plan")
    version = models.PositiveIntegerField(default=1)
    tested = models.CharField(max_length=120, blank=True, default="")
    outcome = models.CharField(max_length=60, blank=True, default="")
    groups = models.JSONField(default=nothing, blank=True)
    currency = models.CharField(max_length=3)
    break_even = models.FloatField(null=True, blank=True)
    lower = models.FloatField(null=True, blank=True)
    higher = models.FloatField(null=True, blank=True)
    cool_down = models.PositiveSmallIntegerField(default=1)
    confidence = models.FloatField(default=0.95)
    power = models.FloatField(default=0.8)
    excluded = models.JSONField(default=nothing, blank=True)
    must = models.JSONField(default=nothing, blank=True)
    listed = models.JSONField(default=nothing, blank=True)
    pairs = models.PositiveSmallIntegerField(null=True, blank=True)
    weeks = models.PositiveSmallIntegerField(null=True, blank=True)
    seed = models.PositiveIntegerField(null=True, blank=True)
    drawn = models.JSONField(null=True, blank=True)
    drawn_at = models.DateTimeField(null=True, blank=True)
    # What is spent on each day: start, budget, where what is saved is spent again, and the amounts that somebody set
    # (`calendars.Kept`); null before it is made.
    calendar = models.JSONField(null=True, blank=True)
    # Fixed at the start with the plan: what may still be spent where it is withheld, how near to break-even makes no difference
    # (0 for no such band), and the outcomes of which less is wanted.
    leak_limit = models.FloatField(default=0.1)
    same_within = models.FloatField(default=0.0)
    less_is_better = models.JSONField(default=nothing, blank=True)
    locked_at = models.DateTimeField(null=True, blank=True)
    # Of the past data: a digest of all of it, and what was found when it came in (`presenting.PastOut`).
    digest = models.CharField(max_length=64, blank=True, default="")
    found = models.JSONField(null=True, blank=True)
    # The same of the days of the test, as they stand now.
    test_digest = models.CharField(max_length=64, blank=True, default="")
    # By which the advertising desk knows it, and since when; "" where it was not handed over.
    desk_reference = models.CharField(max_length=120, blank=True, default="")
    handed_over_at = models.DateTimeField(null=True, blank=True)
    # What it was decided on (`schemas.RegionReadingOut`), as it was then.
    decided_on = models.JSONField(null=True, blank=True)

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=Q(break_even__isnull=True) | Q(break_even__gt=0), name="break_even_above_0"
            ),
            models.CheckConstraint(condition=Q(confidence__gt=0, confidence__lt=1), name="region_confidence_share"),
            models.CheckConstraint(condition=Q(power__gt=0, power__lt=1), name="region_power_share"),
            models.CheckConstraint(condition=Q(drawn__isnull=True) | Q(seed__isnull=False), name="drawn_by_a_seed"),
            models.CheckConstraint(
                condition=Q(lower__isnull=True, higher__isnull=True) | Q(lower__gt=0, lower__lt=1, higher__gt=1),
                name="levels_on_both_sides",
            ),
            models.CheckConstraint(condition=Q(leak_limit__gt=0, leak_limit__lt=1), name="leak_limit_share"),
            models.CheckConstraint(condition=Q(same_within__gte=0, same_within__lt=1), name="same_within_share"),
        ]


class RegionSeries(models.Model):
    """Daily values of one region, product group and measure, from ``first`` on: an outcome by its name, or "" for spend.

    ``values`` are 8-byte floats in little-endian order, one a day. Regions that cannot be in a pair have none. Those ``of_test``
    begin on the day after the past, and are NaN where a figure has not come in.
    """

    plan = models.ForeignKey(RegionPlan, on_delete=models.CASCADE, related_name="series")
    region = models.CharField(max_length=120)
    group = models.CharField(max_length=80, blank=True, default="")
    measure = models.CharField(max_length=60, blank=True, default="")
    of_test = models.BooleanField(default=False)
    first = models.DateField()
    values = models.BinaryField()

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(fields=["plan", "region", "group", "measure", "of_test"], name="a_series_once"),
        ]


class PlaceboRun(BackgroundWork):
    """A design tried on the past in the background; ``asked`` is what was tried, and a plan that differs by now makes it
    stale."""

    plan = models.ForeignKey(RegionPlan, on_delete=models.CASCADE, related_name="placebos")
    asked = models.CharField(max_length=64)
    draws = models.PositiveIntegerField()

    class Meta(BackgroundWork.Meta):
        constraints = [
            models.UniqueConstraint(fields=["plan"], condition=Q(state="running"), name="one_placebo_at_a_time")
        ]
