"""What the stand-ins keep: the mailbox's letters, the keys that the booking site was given, the advertising desk's orders,
and the identity provider's key."""

from __future__ import annotations

from django.db import models

from neat_verdict.app import clock


class Letter(models.Model):
    """A mail that would have been sent."""

    at = models.DateTimeField(default=clock.now)
    sender = models.CharField(max_length=200)
    recipients = models.CharField(max_length=500)
    subject = models.CharField(max_length=300)
    body = models.TextField()

    class Meta:
        ordering = ["-at", "-id"]


class SiteKey(models.Model):
    """The booking site's keys, in the clear: they stand for settings of somebody else's system. ``secret`` is that of its server,
    ``public`` that of its pages."""

    secret = models.CharField(max_length=80)
    public = models.CharField(max_length=80, blank=True, default="")


class Received(models.Model):
    """What the receiver of webhooks got, its signature checked."""

    at = models.DateTimeField(default=clock.now)
    message = models.CharField(max_length=80)
    kind = models.CharField(max_length=40)
    body = models.JSONField()

    class Meta:
        ordering = ["-at", "-id"]


class SigningKey(models.Model):
    """With which the identity provider signs, in PEM."""

    private = models.TextField()


class Booking(models.Model):
    """An order of the advertising desk: ``kept`` are its budgets and regions."""

    name = models.CharField(max_length=120)
    currency = models.CharField(max_length=3)
    kept = models.JSONField()
