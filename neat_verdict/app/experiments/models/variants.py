"""Variants, and pictures of them."""

from __future__ import annotations

from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models
from django.db.models import Q

from neat_verdict.app import clock
from neat_verdict.app.experiments.models.experiment import Experiment
from neat_verdict.core.variants import LETTERS


class Variant(models.Model):
    """An arm. Position 0 is control."""

    experiment = models.ForeignKey(Experiment, on_delete=models.CASCADE, related_name="variants")
    position = models.PositiveSmallIntegerField(validators=[MinValueValidator(0), MaxValueValidator(9)])
    name = models.CharField(max_length=80)
    changes = models.JSONField(default=list, blank=True)
    parameters = models.JSONField(default=list, blank=True)
    link = models.CharField(max_length=500, blank=True, default="")
    # Of a variant that is a page of its own: where it lies, as an address or a path at the origin of the experiment's page.
    address = models.CharField(max_length=500, blank=True, default="")
    # What it changes on the page without a developer (`page_changes.PageChangeIO`).
    page_changes = models.JSONField(default=list, blank=True)
    weight = models.FloatField(default=1.0)

    class Meta:
        ordering = ["position"]
        constraints = [
            models.UniqueConstraint(fields=["experiment", "position"], name="one_variant_a_position"),
            models.CheckConstraint(condition=Q(weight__gt=0), name="weight_above_zero"),
            models.CheckConstraint(condition=Q(position__gte=0, position__lte=9), name="position_in_range"),
        ]

    @property
    def letter(self) -> str:
        return LETTERS[self.position]


class PresentPictures(models.Manager["Picture"]):
    """Those that have not been removed."""

    def get_queryset(self) -> models.QuerySet[Picture]:
        return super().get_queryset().filter(removed_at__isnull=True)


class Picture(models.Model):
    """What a variant looks like. The file is ours: drawn again from what was sent, without its metadata.

    One that is removed after the start stays, as what was shown until then; ``added_at`` is null where that is not known.
    """

    variant = models.ForeignKey(Variant, on_delete=models.CASCADE, related_name="pictures")
    image = models.FileField(upload_to="pictures/")
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    caption = models.CharField(max_length=200, blank=True, default="")
    added_at = models.DateTimeField(null=True, default=clock.now)
    removed_at = models.DateTimeField(null=True, blank=True)

    objects = PresentPictures()
    everything = models.Manager["Picture"]()

    class Meta:
        ordering = ["id"]
