"""Answers that are stored so that a request may be sent again."""

from __future__ import annotations

from django.db import models

from neat_verdict.core.limits import MAX_IDEMPOTENCY_KEY


class StoredAnswer(models.Model):
    """What was answered to a POST with an Idempotency-Key; ``status`` 0 while it is under way.

    ``who`` is the account or the digest of the key that sent it, ``digest`` that of all that the request asked.
    """

    who = models.CharField(max_length=80)
    key = models.CharField(max_length=MAX_IDEMPOTENCY_KEY)
    digest = models.CharField(max_length=64)
    status = models.PositiveSmallIntegerField(default=0)
    content_type = models.CharField(max_length=120, default="")
    content = models.BinaryField(default=b"")
    at = models.DateTimeField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["who", "key"], name="one_answer_a_key")]
        indexes = [models.Index(fields=["at"], name="stored_answers_by_age")]
