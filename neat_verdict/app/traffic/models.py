"""Audiences for reuse, and which unit has been seen in which variant."""

from __future__ import annotations

from datetime import date
from typing import Any

from django.conf import settings
from django.db import models

from neat_verdict.app import clock
from neat_verdict.app.experiments.models import Experiment, Variant
from neat_verdict.core.traffic import MAX_HOLDOUT


class SavedAudience(models.Model):
    """Rules to be used in several experiments; an experiment takes a copy, so that editing one here moves nobody."""

    name = models.CharField(max_length=80, unique=True)
    description = models.CharField(max_length=300, blank=True, default="")
    groups = models.JSONField(default=list)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField(default=clock.now)

    class Meta:
        ordering = ["name"]


class Enrolment(models.Model):
    """A unit that was exposed in a round: its variant at the first exposure, and what it comes to so far.

    ``first_at`` is in milliseconds since 1970; ``segments`` what the unit is tallied under; ``values`` its figure by the metric's
    id ([value] or [value, denominator]); ``mixed`` that it was seen in another variant too. ``standing`` says why it is no unit
    of its own ("": it is one), ``several`` and ``across`` what its person's other ids saw (`collect.recount.UnitState`).
    """

    unit = models.CharField(max_length=200)
    experiment = models.ForeignKey(Experiment, on_delete=models.CASCADE, related_name="enrolments", db_index=False)
    round = models.PositiveSmallIntegerField()
    variant = models.ForeignKey(Variant, on_delete=models.CASCADE, related_name="+", db_index=False)
    first_at = models.BigIntegerField()
    segments = models.JSONField(default=list)
    values = models.JSONField(default=dict)
    mixed = models.BooleanField(default=False)
    standing = models.CharField(max_length=14, default="")
    several = models.BooleanField(default=False)
    across = models.BooleanField(default=False)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["unit", "experiment", "round"], name="a_unit_once_a_round")]


class IdsErased(models.Model):
    """That nothing is kept any more by the ids of an experiment's units: its sums stay, and cannot be made again."""

    experiment = models.OneToOneField(Experiment, on_delete=models.CASCADE, related_name="ids_erased")
    at = models.DateTimeField(default=clock.now)


class PersonLink(models.Model):
    """Whose an id is, by the first event that linked it: the id (of an account, say) that stands for the person.

    ``at`` is in milliseconds since 1970; ``sent_id`` settles which of two at the same moment is the first.
    """

    unit = models.CharField(max_length=200, unique=True)
    person = models.CharField(max_length=200, db_index=True)
    at = models.BigIntegerField()
    sent_id = models.CharField(max_length=100)


class Rollout(models.Model):
    """A variant served by us, decided for or without a test, until the release is there: ``steps`` are {"day", "share"};
    ``lines`` are {"name", "letter", "rules"}, the first that admits a unit says what it gets, and everybody else has control.

    Only experiments that take events are served; for the others it is the plan that people follow. ``until`` is the last day.
    A share ``holdout`` of those reached keeps control; what units do is then counted under ``measured_round``, from
    ``measured_at`` on. A round of its own for each list of who gets what: what was counted for another says nothing of this one.
    ``released_at`` is when the variant came to be a part of the product.
    """

    experiment = models.OneToOneField(Experiment, on_delete=models.CASCADE, related_name="rollout")
    letter = models.CharField(max_length=1)
    steps = models.JSONField(default=list)
    lines = models.JSONField(default=list)
    holdout = models.FloatField(default=0.0)
    until = models.DateField(null=True, blank=True)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField(default=clock.now)
    stopped_at = models.DateTimeField(null=True, blank=True)
    released_at = models.DateTimeField(null=True, blank=True)
    measured_round = models.PositiveSmallIntegerField(null=True, blank=True)
    measured_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=models.Q(holdout__gte=0, holdout__lte=MAX_HOLDOUT), name="holdout_is_a_share"
            ),
            models.CheckConstraint(
                condition=models.Q(holdout=0) | models.Q(measured_round__isnull=False, measured_at__isnull=False),
                name="a_holdout_is_measured",
            ),
        ]

    @property
    def is_measured(self) -> bool:
        """Whether what units do under it is counted now."""
        return self.holdout > 0 and self.stopped_at is None

    def share_on(self, day: date) -> float:
        """The share that gets the variant on a day."""
        if self.stopped_at is not None or (self.until is not None and day > self.until):
            return 0.0
        reached = [step["share"] for step in self.steps if date.fromisoformat(step["day"]) <= day]
        return reached[-1] if reached else 0.0


class Epoch(models.Model):
    """A stretch of an experiment in which shares stood still; the last of a round is open (``ended_at`` null).

    ``shares`` are by segment ("" for everybody). ``origin`` says who set them: the even start, the policy, a hand, a freeze, or a
    return to even. ``record`` has all that they were worked out from (see `reallocation.closing_record`), so that anybody can
    do it again; empty where a hand set them.
    """

    class Origin(models.TextChoices):
        START = "start"
        POLICY = "policy"
        HAND = "hand"
        FROZEN = "frozen"
        EVEN = "even"

    experiment = models.ForeignKey(Experiment, on_delete=models.CASCADE, related_name="epochs")
    round = models.PositiveSmallIntegerField()
    number = models.PositiveIntegerField()
    started_at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True, blank=True)
    shares: models.JSONField[dict[str, list[float]], dict[str, list[float]]] = models.JSONField()
    origin = models.CharField(max_length=10, choices=Origin.choices)
    record: models.JSONField[dict[str, Any], dict[str, Any]] = models.JSONField(default=dict)
    reason = models.CharField(max_length=300, blank=True, default="")
    set_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, blank=True, on_delete=models.PROTECT, related_name="+"
    )

    class Meta:
        ordering = ["round", "number"]
        constraints = [
            models.UniqueConstraint(fields=["experiment", "round", "number"], name="an_epoch_once"),
            models.UniqueConstraint(
                fields=["experiment", "round"], condition=models.Q(ended_at__isnull=True), name="one_open_epoch"
            ),
        ]


class SampledDay(models.Model):
    """A day (UTC) on which assignments were asked for, and the share of its units that is kept, by their points."""

    day = models.DateField(unique=True)
    share = models.FloatField(default=1.0)


class PropertySet(models.Model):
    """What units were assigned with: their properties as JSON, names sorted, each set once."""

    text = models.TextField(unique=True)


class SeenUnit(models.Model):
    """A unit, by nothing but its point (`core.traffic.sampling`), that asked for an assignment on a day with these properties."""

    day = models.DateField()
    point = models.FloatField()
    properties = models.ForeignKey(PropertySet, on_delete=models.CASCADE, related_name="+")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["day", "point", "properties"], name="a_set_once_a_unit_and_day")]
