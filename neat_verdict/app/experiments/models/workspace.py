"""The organisation."""

from __future__ import annotations

from zoneinfo import available_timezones

from django.core.exceptions import ValidationError
from django.core.validators import RegexValidator
from django.db import models

from neat_verdict.app.experiments.models.parts import nobody


def known_zone(value: str) -> None:
    """Raise ValidationError for a name that is no time zone: it would say of no moment which day it is."""
    if value not in available_timezones():
        raise ValidationError("“%(value)s” is no time zone; write it as Europe/Berlin", params={"value": value})


class Workspace(models.Model):
    """One row: the organisation whose experiments these are."""

    name = models.CharField(max_length=120, default="Your workspace")
    time_zone = models.CharField(max_length=64, default="UTC", validators=[known_zone])
    # Three letters (ISO 4217): of cost where a file does not say its own.
    currency = models.CharField(max_length=3, default="EUR", validators=[RegexValidator(r"^[A-Z]{3}$")])
    longest_run_weeks = models.PositiveSmallIntegerField(default=13)
    # Properties at first exposure that tallies are kept by: each line one property, or two that are crossed.
    segments = models.JSONField(default=list, blank=True)
    # Who is never counted in experiments that are made from now on (`parts.Delivered.never_counted`).
    never_counted = models.JSONField(default=nobody, blank=True)

    def __str__(self) -> str:
        return self.name
