"""Accounts and their roles."""

from __future__ import annotations

from typing import Any, ClassVar

from django.conf import settings
from django.contrib.auth.models import AbstractUser, UserManager
from django.db import models

from neat_verdict.app import clock


class Accounts(UserManager["User"]):
    def create_superuser(self, *args: Any, **more: Any) -> Any:
        """Who may do everything is called an admin, not by the usual role."""
        more.setdefault("role", "admin")
        return super().create_superuser(*args, **more)


class User(AbstractUser):
    """Django's account with one role. A stakeholder reads; an analyst does the work; an admin also keeps the accounts."""

    class Role(models.TextChoices):
        STAKEHOLDER = "stakeholder"
        ANALYST = "analyst"
        ADMIN = "admin"

    objects: ClassVar[Accounts] = Accounts()

    role = models.CharField(max_length=12, choices=Role.choices, default=Role.STAKEHOLDER)

    class Meta(AbstractUser.Meta):
        constraints = [
            models.CheckConstraint(condition=models.Q(role__in=["stakeholder", "analyst", "admin"]), name="role_known")
        ]

    @property
    def may_edit(self) -> bool:
        return self.is_active and (self.is_superuser or self.role in (self.Role.ANALYST, self.Role.ADMIN))

    @property
    def display_name(self) -> str:
        return self.get_full_name() or self.username


SCOPES = {
    "assign": "ask which variant a unit gets",
    "collect": "send exposures and events",
    "read": "read the list of running experiments",
    "reduce": "bring in counts from where the data live",
}
USUAL_SCOPES = ("assign", "collect", "read")


def usual_scopes() -> list[str]:
    """What a key may do unless it is made for something else."""
    return list(USUAL_SCOPES)


class MachineKey(models.Model):
    """A key with which a server or a page of a site reaches us.

    Of a server's only the digest is kept; its ``scopes`` say what it may do. That of a site stands in its pages for everybody to
    read: it may ask for assignments and send events, from the ``origins`` listed for it, ``per_minute`` times at most.
    """

    class Kind(models.TextChoices):
        SERVER = "server"
        SITE = "site"

    name = models.CharField(max_length=80)
    kind = models.CharField(max_length=8, choices=Kind.choices, default=Kind.SERVER)
    start = models.CharField(max_length=12)
    digest = models.CharField(max_length=64, unique=True)
    public = models.CharField(max_length=80, blank=True, default="")  # of a site's, the whole of it
    scopes = models.JSONField(default=usual_scopes)
    origins = models.JSONField(default=list, blank=True)
    per_minute = models.PositiveIntegerField(default=0)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField(default=clock.now)
    expires_at = models.DateTimeField(null=True, blank=True)
    withdrawn_at = models.DateTimeField(null=True, blank=True)
    used_at = models.DateTimeField(null=True, blank=True)
    refused = models.PositiveIntegerField(default=0)  # requests that came too fast

    class Meta:
        ordering = ["-made_at", "-id"]
        constraints = [
            models.CheckConstraint(condition=models.Q(kind__in=["server", "site"]), name="kind_of_key_known"),
            models.CheckConstraint(
                condition=models.Q(kind="server", public="") | models.Q(kind="site", per_minute__gt=0),
                name="site_key_public_and_bounded",
            ),
        ]
