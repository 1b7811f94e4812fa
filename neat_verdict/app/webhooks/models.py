"""Other systems that are sent what happens, what happened, and what became of sending it."""

from __future__ import annotations

import secrets

from django.conf import settings
from django.db import models

from neat_verdict.app import clock
from neat_verdict.app.experiments.models import Experiment

KINDS = {
    "experiment.started": "an experiment started",
    "experiment.ended": "an experiment ended",
    "data.issue": "a data quality issue was found",
    "look.taken": "a planned look was taken",
    "verdict.changed": "the verdict of an experiment is another one",
    "decision.made": "a decision was recorded",
    "decision.withdrawn": "a decision was withdrawn",
    "rollout.changed": "a rollout was planned, stopped or released",
    "test": "somebody tried it out",
}


def message_id() -> str:
    """The id of a message, the same each time it is sent."""
    return f"msg_{secrets.token_urlsafe(18)}"


class Webhook(models.Model):
    """A system that is sent what happens, signed with ``secret``; nothing since ``paused_at``, and ``pause`` says why."""

    name = models.CharField(max_length=80)
    url = models.CharField(max_length=500)
    secret = models.CharField(max_length=80)
    kinds = models.JSONField(default=list)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField(default=clock.now)
    paused_at = models.DateTimeField(null=True, blank=True)
    pause = models.CharField(max_length=200, blank=True, default="")

    class Meta:
        ordering = ["name", "id"]


class Happening(models.Model):
    """Something that happened, once: ``source`` says by what it is known."""

    source = models.CharField(max_length=60, unique=True)
    kind = models.CharField(max_length=30)
    at = models.DateTimeField()
    data = models.JSONField()

    class Meta:
        ordering = ["-id"]


class Delivery(models.Model):
    """What a system is sent of something that happened. ``status`` is that of its last answer, ``problem`` why there was none."""

    class State(models.TextChoices):
        WAITING = "waiting"
        DELIVERED = "delivered"
        FAILED = "failed"

    webhook = models.ForeignKey(Webhook, on_delete=models.CASCADE, related_name="deliveries")
    happening = models.ForeignKey(Happening, on_delete=models.CASCADE, related_name="deliveries")
    message = models.CharField(max_length=40, default=message_id)
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    tries = models.PositiveSmallIntegerField(default=0)
    due_at = models.DateTimeField(null=True, blank=True)
    sent_at = models.DateTimeField(null=True, blank=True)
    status = models.PositiveSmallIntegerField(null=True, blank=True)
    problem = models.CharField(max_length=200, blank=True, default="")

    class Meta:
        ordering = ["-id"]
        constraints = [
            models.CheckConstraint(
                condition=models.Q(state__in=["waiting", "delivered", "failed"]), name="state_of_delivery_known"
            )
        ]
        indexes = [models.Index(fields=["state", "due_at"], name="deliveries_due")]


class Gathered(models.Model):
    """One row: up to where the ledger and the notices were looked through."""

    ledger = models.BigIntegerField(default=0)
    notice = models.BigIntegerField(default=0)


class VerdictSeen(models.Model):
    """The verdict that an experiment had when it was looked at last, of a round."""

    experiment = models.OneToOneField(Experiment, on_delete=models.CASCADE, primary_key=True, related_name="+")
    round = models.PositiveIntegerField()
    verdict = models.CharField(max_length=40)
