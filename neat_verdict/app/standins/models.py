"""What the stand-ins keep: the mailbox's letters, and the key that the booking site was given."""

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
    """The booking site's key for machines, in the clear: it stands for a setting of somebody else's system."""

    secret = models.CharField(max_length=80)
