"""Notices to the analyst, and what else changed while an experiment ran."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from neat_verdict.app import clock
from neat_verdict.app.experiments.models import Experiment


class Notice(models.Model):
    """Something that needs somebody, sent once: ``occasion`` tells it from all others of the experiment."""

    experiment = models.ForeignKey(Experiment, on_delete=models.CASCADE, related_name="notices")
    occasion = models.CharField(max_length=120)
    at = models.DateTimeField(default=clock.now)
    tone = models.CharField(max_length=10)
    sentence = models.CharField(max_length=400)
    advice = models.CharField(max_length=400, blank=True, default="")
    sheet = models.CharField(max_length=20, default="watch")
    mailed_at = models.DateTimeField(null=True, blank=True)
    # Of a mail that failed: how often, and when it is tried again.
    mail_tries = models.PositiveSmallIntegerField(default=0)
    mail_after = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["-at", "-id"]
        constraints = [models.UniqueConstraint(fields=["experiment", "occasion"], name="a_notice_once")]


class NoticeReading(models.Model):
    """That somebody has read a notice: of that person alone."""

    notice = models.ForeignKey(Notice, on_delete=models.CASCADE, related_name="readings")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    at = models.DateTimeField(default=clock.now)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["notice", "by"], name="a_notice_is_read_once_by_each")]


class ChangeNote(models.Model):
    """Something that changed elsewhere on a day: a campaign, a release, a price. Without an experiment it concerns all."""

    experiment = models.ForeignKey(
        Experiment, null=True, blank=True, on_delete=models.CASCADE, related_name="change_notes"
    )
    day = models.DateField()
    text = models.CharField(max_length=200)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField(default=clock.now)

    class Meta:
        ordering = ["day", "id"]
