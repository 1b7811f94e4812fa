"""Where the script has been seen."""

from __future__ import annotations

from django.db import models

from neat_verdict.app.experiments.models import Experiment, Variant
from neat_verdict.app.people.models import MachineKey


class SeenPage(models.Model):
    """A page that asked with a site's key; its path without what names a visitor or an order (`pages.page_path`)."""

    key = models.ForeignKey(MachineKey, on_delete=models.CASCADE, related_name="pages")
    origin = models.CharField(max_length=200)
    path = models.CharField(max_length=200)
    version = models.CharField(max_length=20)  # of the script
    held = models.BooleanField(default=False)  # not drawn until it is known what is shown
    first_at = models.DateTimeField()
    last_at = models.DateTimeField()

    class Meta:
        ordering = ["-last_at", "-id"]
        constraints = [models.UniqueConstraint(fields=["key", "origin", "path"], name="a_page_once_a_key")]

    @property
    def address(self) -> str:
        return self.origin + self.path


class PageUse(models.Model):
    """What a unit that is followed did on an experiment's page, over all its visits with one device: ``depth`` in tenths of the
    page that it came down, ``seconds`` for which each tenth was in view, and the keys of the elements that it clicked."""

    experiment = models.ForeignKey(Experiment, on_delete=models.CASCADE, related_name="+", db_index=False)
    round = models.PositiveSmallIntegerField()
    unit = models.CharField(max_length=200)
    device = models.CharField(max_length=8)
    variant = models.ForeignKey(Variant, on_delete=models.CASCADE, related_name="+", db_index=False)
    depth = models.PositiveSmallIntegerField()
    seconds = models.JSONField(default=list)
    clicked = models.JSONField(default=list)

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["experiment", "round", "device", "unit"], name="a_unit_once_a_round_and_device"
            )
        ]


class Outline(models.Model):
    """The elements of a variant's page and where they stand, as the script saw them in a preview: ``elements`` as
    `page_use.ElementIO`, sizes in pixels."""

    variant = models.ForeignKey(Variant, on_delete=models.CASCADE, related_name="outlines")
    device = models.CharField(max_length=8)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    elements = models.JSONField(default=list)
    taken_at = models.DateTimeField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["variant", "device"], name="an_outline_a_variant_and_device")]
